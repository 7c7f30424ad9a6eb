"""A film of a run as it goes: one picture for each field that the solver sends, as it is seen on the bench."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from types import SimpleNamespace
from typing import TYPE_CHECKING, Any

import numpy as np
from PyQt6.QtCore import QObject, QTimer

from ..errors import StithyError
from . import films, still

if TYPE_CHECKING:
    from .bench import Bench
    from .session import Session

#: pictures a second in the film, and milliseconds between two looks at the bench
RATE, PACE = 10, 200
#: looks at the bench after which a run that has not begun will not
PATIENCE = 50


class RunFilm(QObject):
    """Takes pictures until the run is over, then writes them to ``path``; ``tell`` hears how it goes, ``refuse`` what
    went wrong."""

    def __init__(self, session: Session, bench: Bench, path: Path, tell: Callable[[str], Any], refuse):
        super().__init__()
        self.session, self.bench, self.path, self._tell, self._refuse = session, bench, path, tell, refuse
        self.pictures: list[np.ndarray] = []
        self._last: object = None
        self._begun, self._looks = False, 0
        self._timer = QTimer(self, interval=PACE)
        self._timer.timeout.connect(self._look)
        self._timer.start()
        tell("Filming the run; written when it ends")

    def _look(self) -> None:
        state, running = self.session.run_state, self.session.run is not None
        now = state.solution if state.solution is not None else state.snapshot
        self._begun, self._looks = self._begun or running, self._looks + 1
        if self.bench.busy() or (not self._begun and self._looks < PATIENCE):
            return
        if now is not None and now is not self._last and self.bench.showing_results():
            self._last = now
            self._take(f"iteration {state.history[-1].iteration}" if state.history else "")
        if not running:
            self._timer.stop()
            if self._begun and self.bench.showing_results():
                self._take("as it ended")
            self._write()

    def end(self) -> None:
        """Write what there is now: the window closes."""
        if self._timer.isActive():
            self._timer.stop()
            if self.pictures:
                self._write()

    def _take(self, note: str) -> None:
        if len(self.pictures) >= films.MOST_FRAMES:
            return
        shot = np.asarray(self.bench.view.screenshot(return_img=True))[:, :, :3]
        image = still.with_scales(shot, SimpleNamespace(scales=self.bench.shown_scales), note)  # type: ignore[arg-type]
        if not self.pictures or image.shape == self.pictures[0].shape:
            self.pictures.append(image)
            self._tell(f"Filming the run: {len(self.pictures)} pictures")

    def _write(self) -> None:
        try:
            if not self.pictures:
                raise StithyError(
                    "The run sent no field in Run or Read, so there is no film. Stay there while it runs."
                )
            films.write_film(iter(self.pictures), self.path, RATE, len(self.pictures))
            self._tell(f"Written {self.path}")
        except (StithyError, OSError) as error:
            self._refuse(str(error).splitlines()[0])
