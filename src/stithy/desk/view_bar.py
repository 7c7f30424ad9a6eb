"""Over the bench in Read: kept views as chips, keep this one, the whole model."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtWidgets import QHBoxLayout, QPushButton, QSizePolicy, QWidget

from ..errors import StithyError
from ..kinds import View
from ..model import drawn
from ..project import edits
from .tables import empty

if TYPE_CHECKING:
    from .bench import Bench


class ViewBar(QWidget):
    """A chip for each view; the last one keeps the present look."""

    def __init__(self, bench: Bench):
        super().__init__()
        self.bench, self.session = bench, bench.session
        self.row = QHBoxLayout(self)
        self.row.setContentsMargins(12, 8, 8, 4)
        self.row.setSpacing(4)
        self.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)
        self.setStyleSheet("QPushButton { padding: 4px 8px; }")
        self._drawn: tuple | None = None
        self.chips: dict[str, QPushButton] = {}
        self.keep = self.fit = QPushButton()

    def rebuild(self, wanted: bool) -> None:
        """Show the views there are, in Read."""
        self.setVisible(wanted and self.session.stage == "Read")
        views = tuple(x for x in self.session.picture.drawn()[0] if isinstance(x, drawn.View))
        if self._drawn == views:
            return
        self._drawn, self.chips = views, {}
        empty(self.row)
        for view in views:
            chip = QPushButton(view.name)
            chip.clicked.connect(lambda _, v=view: self.go(v))
            chip.setToolTip("Look at it like this: camera, drawn rows, parts in sight")
            self.chips[view.name] = chip
            self.row.addWidget(chip)
        self.keep = QPushButton("keep this view")
        self.keep.setStyleSheet("border-style: dashed;")
        self.keep.setToolTip("Keep camera, drawn rows and parts in sight under a name")
        self.keep.clicked.connect(self.keep_view)
        self.fit = QPushButton("Fit   F")
        self.fit.setToolTip("The whole model in view")
        self.fit.clicked.connect(self.bench.reset_camera)
        self.row.addWidget(self.keep)
        self.row.addStretch(1)
        self.row.addWidget(self.fit)

    def keep_view(self) -> None:
        """A new row with the present look."""
        session, camera = self.session, self.bench.view.camera
        points = (camera.position, camera.focal_point, camera.up)
        rows, _ = session.picture.drawn()
        name = edits.free_name(session.document, "View")
        row = View(
            name=name,
            camera="; ".join(", ".join(f"{x:.5g}" for x in p) for p in points) + " mm",
            angle=f"{camera.view_angle:.4g} deg",
            shows="; ".join(x.name for x in rows if getattr(x, "on", False)),
            hidden="; ".join(n for n, how in session.picture.sight.items() if how == "hidden"),
            through="; ".join(n for n, how in session.picture.sight.items() if how == "through"),
        )
        try:
            session.do(edits.add_row(session.layout, row))
        except StithyError:
            return
        session.select((name,))

    def go(self, view: drawn.View) -> None:
        """Look at the model as a view says."""
        session = self.session
        rows = {x.name: x for x in session.picture.drawn()[0]}
        cells = [
            (name, "shown", "on" if name in view.shown else "off")
            for name, x in rows.items()
            if hasattr(x, "on") and x.on != (name in view.shown)
        ]
        self.bench.look_from(view)
        session.picture.sight = dict.fromkeys(view.hidden, "hidden") | dict.fromkeys(view.through, "through")
        session.picture.settle(cells, f"view {view.name}")
        session.tell("sight")
