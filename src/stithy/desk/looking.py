"""Where a bench's camera stands: the whole model, square at a side, as a view has it, at a hottest place."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from ..model import drawn
from . import camera
from .rulers import shadow
from .scene import MM
from .work_bar import STAGES as WORKED

if TYPE_CHECKING:
    from .session import Session

#: of a model's size, what is left free about it for rulers
ROOM = 0.025


class Looking:
    """The part of a bench that moves its camera; it has its ``session``, ``view``, ``layout_name`` and ``name``, and
    draws anew by ``refresh``."""

    session: Session
    layout_name: str

    def reset_camera(self):
        """The usual look: from front, right and above, the whole model in view."""
        self._look_at_all()
        self.view.render()

    def fit_again(self):
        """The whole model in view anew, unless somebody has chosen a look of his own."""
        if self._fits:
            self._look_at_all()

    def look_at_side(self, side: str) -> None:
        """Look square at one side of the whole model, such as "x-"."""
        model = self.session.standing(self.name()).model
        if model is not None and model.enclosures:
            camera.whole(self.view, model, side=side)
            self._first, self._fits = False, None
            self.refresh()

    def look_from(self, view: drawn.View) -> None:
        """Put the camera where a view has it."""
        camera.put(self.view, view)
        self._first, self._fits = False, None
        self.refresh()

    def _look_at_all(self):
        model = self.session.standing(self.name()).model
        if model is None or not model.enclosures:
            return
        bounds, working = camera.bounds(model), self.session.stage in WORKED and not self.layout_name
        room = ROOM * max(hi - lo for lo, hi in bounds) * MM if working else 0.0  # for the rulers' numbers
        beside = [(lo * MM - room, hi * MM + room) for lo, hi in bounds]
        if self.session.scaled and working:
            reach = np.array(shadow(bounds)[0].bounds).reshape(3, 2)
            beside = [(min(a, lo), max(b, hi)) for (a, b), (lo, hi) in zip(beside, reach, strict=True)]
        camera.whole(self.view, model, beside=beside)
        self._first, self._fits = False, self._room()

    def fly(self, margin):
        """Cut a section through the hottest place of a limit's part."""
        if margin.spot is None or self.result() is None:
            return
        sections = [
            x for x in self.session.picture.drawn(self.name())[0] if isinstance(x, drawn.Section) and x.axis is not None
        ]
        if sections:
            first = next((x for x in sections if x.on), sections[0])
            row = next(r for r in self.session.document.rows_of(self.name()) if r.name == first.name)
            cells = [(first.name, "at", f"{1e3 * margin.spot[first.axis]:.4g} mm"), (first.name, "shown", "on")]
            if first.paint.quantity.name != "temperature":
                cells.append((first.name, "quantity", "temperature"))
            self.session.picture.settle([c for c in cells if row.text(c[1]) != c[2]], "fly to the hottest place")
        camera_ = self.view.camera
        self._before = (camera_.position, camera_.focal_point, camera_.up, self._fits)
        camera_.focal_point = [x * 1e3 for x in margin.spot]
        self._fits = None
        self.refresh()

    def look_back(self) -> None:
        """The camera as it stood before it flew to a hottest place."""
        if self._before is not None:
            camera_ = self.view.camera
            camera_.position, camera_.focal_point, camera_.up, self._fits = self._before
            self._before = None
            self.refresh()
