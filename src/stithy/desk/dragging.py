"""What everything that is dragged on a bench shares: it hears the mouse before the camera does, and knows where places
of the model stand in the picture."""

from __future__ import annotations

from abc import ABC, abstractmethod
from typing import TYPE_CHECKING

import numpy as np

from . import scene

if TYPE_CHECKING:
    from .bench import Bench

#: numbers of the three events that are heard, for :meth:`Dragging.take`
PRESS, DRAG, RELEASE = range(3)


class Dragging(ABC):
    """Hears press, drag and release of one bench; of several that hear, the highest ``rank`` comes first."""

    def __init__(self, bench: Bench, rank: float):
        self.bench = bench
        iren = bench.view.iren.interactor
        self._tags = [
            iren.AddObserver("LeftButtonPressEvent", self._press, rank),
            iren.AddObserver("MouseMoveEvent", self._drag, rank),
            iren.AddObserver("LeftButtonReleaseEvent", self._release, rank),
        ]

    @abstractmethod
    def _press(self, *_) -> None:
        """The left button went down."""

    @abstractmethod
    def _drag(self, *_) -> None:
        """The pointer moved."""

    @abstractmethod
    def _release(self, *_) -> None:
        """The left button was let go."""

    def take(self, which: int) -> None:
        """Keep an event from all that come later, the camera among them."""
        self.bench.view.iren.interactor.GetCommand(self._tags[which]).SetAbortFlag(1)

    def pointer(self) -> np.ndarray:
        """Where the pointer is, pixels."""
        return np.array(self.bench.view.iren.get_event_position(), float)

    def at(self, point) -> np.ndarray:
        """Where a point (m) stands in the picture, pixels."""
        renderer = self.bench.view.renderer
        renderer.SetWorldPoint(*(np.asarray(point) * scene.MM), 1.0)
        renderer.WorldToDisplay()
        return np.array(renderer.GetDisplayPoint()[:2])

    def along(self, point: np.ndarray, way: np.ndarray, step: float) -> np.ndarray | None:
        """Pixels a metre along a direction at a point, tried over a ``step`` (m); None where it is looked at end on."""
        found = (self.at(point + step * way) - self.at(point)) / step
        return found if float(found @ found) >= 1.0 else None
