"""How smoothly the bench is drawn: several samples a pixel when all is at rest, one while things move or a run is
on."""

from __future__ import annotations

import time
from collections.abc import Callable

from PyQt6.QtCore import QTimer

SAMPLES = 4  # a pixel
QUICK = 0.03  # seconds: where a smooth picture takes no longer, all are smooth


class Smoothing:
    """Chooses the samples a pixel of one 3-D view; ``busy`` tells whether its scene is being built.

    Where the processor draws, a smooth picture takes three times as long as a plain one: then what moves is drawn
    plainly, so that the window answers at once, and drawn smoothly a moment after it has come to rest.
    """

    def __init__(self, view, busy: Callable[[], bool]):
        self.window, self.renderer, self.busy = view.ren_win, view.renderer, busy
        self.quick = self.running = False
        self.timer = QTimer(view, singleShot=True, interval=300)
        self.timer.timeout.connect(self._smoothly)
        self.last = QTimer(view, singleShot=True, interval=0)  # the second half of it
        self.last.timeout.connect(self._show)
        style = view.iren.interactor.GetInteractorStyle()
        style.AddObserver("StartInteractionEvent", lambda *_: self.plainly())
        style.AddObserver("EndInteractionEvent", lambda *_: self.soon())

    def plainly(self) -> None:
        """Draw the next pictures plainly, unless smooth ones are as quick."""
        self.timer.stop()
        self.last.stop()
        if self.running or not self.quick:
            self.window.SetMultiSamples(0)

    def soon(self) -> None:
        """Draw smoothly when all has come to rest."""
        if not self.running and self.window.GetMultiSamples() == 0:
            self.timer.start()

    def end(self) -> None:
        """Draw no more: the view is about to be shut."""
        self.timer.stop()
        self.last.stop()
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
        """Let the graphics take up what has been added so far, in a corner and without showing it: the picture is the
        quicker then."""
        place = self.renderer.GetViewport()
        self.renderer.SetViewport(0.0, 0.0, 0.02, 0.02)
        self.window.SwapBuffersOff()
        self.window.Render()
        self.window.SwapBuffersOn()
        self.renderer.SetViewport(place)

    def finish(self) -> None:
        """Draw smoothly now, when that is still to come."""
        if self.timer.isActive():
            self.timer.stop()
            self._smoothly()
        if self.last.isActive():
            self.last.stop()
            self._show()

    def _smoothly(self) -> None:
        if self.busy():
            self.timer.start()
            return
        self.window.SetMultiSamples(SAMPLES)
        self.unseen()  # makes room for the samples
        self.last.start()

    def _show(self) -> None:
        began = time.perf_counter()
        self.window.Render()
        self.quick = time.perf_counter() - began < QUICK
