"""What a bench's pictures are drawn from: the layout, its result, what is selected, cut, shown and beside it."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from . import camera
from .differing import differences
from .viewing import Look
from .work_bar import STAGES as WORKED

if TYPE_CHECKING:
    from .session import Session


class Sight:
    """The part of a bench that gathers what is drawn; it has its ``session``, ``view``, ``layout_name``, ``minus`` and
    ``name``."""

    session: Session
    layout_name: str
    minus: str
    view: Any
    name: Any

    def looking(self, standing, result) -> Look:
        """What the pictures of a layout are drawn from."""
        session, name = self.session, self.name()
        own = name == session.layout
        state = session.run_state
        return Look(
            name,
            standing.model,
            result,
            standing.summary,
            session.selected,
            session.stage,
            bool(standing.problems),
            state.place if state.layout == name else None,
            session.picture.library,
            self._rows(result),
            tuple(x.name for x in session.document.layouts),
            self._beside(),
            session.picture.sight,
            camera.toward(self.view),
            session.leak if own else None,
            session.mouths if own else (),
            session.space if own else None,
            session.shown_faces() if own else (),
            session.face_hidden,
            cut=self._cut(standing) if session.stage in WORKED and not self.layout_name else None,
            rulers=not self.layout_name,
            scaled=session.scaled and session.stage in WORKED and not self.layout_name,
            roles=session.roles and own,
            copper=self._copper() if own else None,
        )

    def _rows(self, result) -> tuple:
        """Drawn rows of the layout, as differences where another is taken from it."""
        if result is None:
            return ()
        rows = self.session.picture.drawn(self.name())[0]
        return tuple(differences(rows, self.minus)) if self.minus else tuple(rows)

    def _beside(self) -> tuple[str, ...]:
        """Layouts whose ranges are shared."""
        session = self.session
        if session.stage != "Weigh" or not session.compared or self.minus:
            return ()
        return (session.layout, session.compared, *session.more)

    def _cut(self, standing):
        """The cut through the model; in Grid there always is one, and the grid's section on it."""
        if self.session.cut is not None or self.session.stage != "Grid" or standing.problems:
            return self.session.cut
        model = standing.model
        chosen = [s for s in model.solids if s.name in self.session.selected]
        home = max(chosen or model.solids, key=lambda s: s.power, default=None)
        low, high = camera.bounds(model)[1] if home is None else home.bounds[1]
        return 1, 0.5 * (low + high), -1.0 if camera.toward(self.view)[1] > 0 else 1.0

    def _copper(self):
        """The board and the layer of its copper that is shown, or None."""
        if self.session.copper is None:
            return None
        name, layer = self.session.copper
        rows = self.session.document.rows_of(self.session.layout)
        row = next((r for r in rows if r.name == name and r.kind == "board"), None)
        return None if row is None else (row, layer)
