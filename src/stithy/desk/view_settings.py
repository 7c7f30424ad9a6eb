"""How results are looked at: one set of settings that all benches share."""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar

from psygnal import SignalGroupDescriptor

FIELDS = ("temperature", "speed", "pressure")


@dataclass
class ViewSettings:
    """``field`` that is painted; section across ``axis`` at ``place`` (share of the model's length); ``shown``: keys of
    the view items that are switched on; ``range``: ends of the scale (None: the field's own)."""

    field: str = "temperature"
    axis: int = 1
    place: float = 0.5
    shown: frozenset[str] = frozenset({"section", "surfaces"})
    range: tuple[float, float] | None = None
    events: ClassVar[SignalGroupDescriptor] = SignalGroupDescriptor()

    def switch(self, key: str, on: bool) -> None:
        """Switch a view item on or off."""
        self.shown = self.shown | {key} if on else self.shown - {key}
