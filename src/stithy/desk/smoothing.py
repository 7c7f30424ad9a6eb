"""How smoothly the bench is drawn: several samples a pixel when all is at rest, one while things move or a run is on."""
from __future__ import annotations

import time
from collections.abc import Callable

from PyQt6.QtCore import QTimer

SAMPLES = 4  # a pixel
QUICK = 0.03  # seconds: where a smooth picture takes no longer, all are smooth


class Smoothing:
    """Chooses the samples a pixel of one 3-D view; ``busy`` tells whether its scene is being built.

    Where the processor draws, a smooth picture takes three times as long as a plain one: then what moves is drawn plainly, so that the
    window answers at once, and drawn smoothly a moment after it has come to rest.
    """

    def __init__(self, view, busy: Callable[[], bool]):
        self.window, self.busy = view.ren_win, busy
        self.quick = self.running = False
        self.timer = QTimer(view, singleShot=True, interval=300)
        self.timer.timeout.connect(self._smoothly)
        style = view.iren.interactor.GetInteractorStyle()
        style.AddObserver("StartInteractionEvent", lambda *_: self.plainly())
        style.AddObserver("EndInteractionEvent", lambda *_: self.soon())

    def plainly(self) -> None:
        """Draw the next pictures plainly, unless smooth ones are as quick."""
        self.timer.stop()
        if self.running or not self.quick:
            self.window.SetMultiSamples(0)

    def soon(self) -> None:
        """Draw smoothly when all has come to rest."""
        if not self.running and self.window.GetMultiSamples() == 0:
            self.timer.start()

    def end(self) -> None:
        """Draw no more: the view is about to be shut."""
        self.timer.stop()
        self.running = True

    def hold(self, running: bool) -> None:
        """Keep to plain pictures while a run is on."""
        if running != self.running:
            self.running = running
            if running:
                self.plainly()
            else:
                self.soon()

    def unseen(self) -> None:
        """Let the graphics take up what has been added so far, without showing it: the picture that follows is the quicker."""
        self.window.SwapBuffersOff()
        self.window.Render()
        self.window.SwapBuffersOn()

    def finish(self) -> None:
        """Draw smoothly now, when that is still to come."""
        if self.timer.isActive():
            self.timer.stop()
            self._smoothly()

    def _smoothly(self) -> None:
        if self.busy():
            self.timer.start()
            return
        began = time.perf_counter()
        self.window.SetMultiSamples(SAMPLES)
        self.window.Render()
        self.quick = time.perf_counter() - began < QUICK
