"""A page of the shelf: what is not seen is not worked out."""

from __future__ import annotations

from PyQt6.QtWidgets import QWidget

from .session import Session


class Page(QWidget):
    """Built anew (:meth:`rebuild`) when it comes in sight; ``stage`` is where it can be seen."""

    stage = "Read"

    def __init__(self, session: Session):
        super().__init__()
        self.session = session

    def seen(self) -> bool:
        """Whether it is in sight now."""
        return self.isVisible() and self.session.stage == self.stage

    def showEvent(self, event):  # noqa: N802
        """It comes in sight."""
        super().showEvent(event)
        self.rebuild()

    def rebuild(self) -> None:
        """Show what there is now, where it is seen."""
        raise NotImplementedError
