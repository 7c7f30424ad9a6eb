"""What a run in time came to as curves: parts from its history, watches at the kept instants, the shown one marked."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
import pyqtgraph as pg
from PyQt6.QtCore import Qt, QTimer
from PyQt6.QtGui import QBrush, QColor
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QVBoxLayout

from ..model.drawn import Watch
from ..read import shown
from ..read.watches import in_time
from . import look
from .charts import COLOURS, curves_of_parts, draw_bounds, plain_plot
from .course_bar import unit_for
from .page import Page
from .session import Session
from .tables import fill, plain_table


class InTime(Page):
    """Curves against time, and the numbers of the shown instant beside them."""

    def __init__(self, session: Session):
        super().__init__(session)
        self.plot = plain_plot("")
        self.plot.setTitle(None)
        self.plot.scene().sigMouseClicked.connect(self._click)
        self.mark = pg.InfiniteLine(angle=90, movable=True, pen=pg.mkPen(look.EMBER, width=2))
        self.mark.setCursor(Qt.CursorShape.SizeHorCursor)
        self.mark.sigDragged.connect(lambda line: self._go(line.value()))
        self.title, self.words = QLabel(), QLabel(wordWrap=True)
        self.title.setStyleSheet("font-weight: 600;")
        self.words.setProperty("quiet", True)
        self.values = plain_table()
        head, left, row = QHBoxLayout(), QVBoxLayout(), QHBoxLayout(self)
        head.addWidget(self.title)
        head.addWidget(self.words, 1)
        left.addLayout(head)
        left.addWidget(self.plot, 1)
        row.setContentsMargins(12, 2, 12, 6)
        row.setSpacing(12)
        row.addLayout(left, 3)
        row.addWidget(self.values, 2)
        self.curves: dict[str, tuple[np.ndarray, np.ndarray]] = {}
        self._of: tuple = (None, None)
        self._found: list[tuple[float, dict]] = []
        self._left: Iterator | None = None
        self._more = QTimer(self, interval=0)  # one instant after the other, so that the window stays quick
        self._more.timeout.connect(self._next)
        for event in ("stage", "results", "layout", "document", "selection"):
            session.on(event, self.rebuild)
        session.on("sight", self._stand)

    def rebuild(self) -> None:
        """Draw the chosen watch, or the hottest place of every part, where it can be seen."""
        self._more.stop()
        if not self.seen():
            return
        result = self.session.result()
        rows, watch = self.session.picture.drawn()[0], self._chosen()
        if result is None or not result.instants:
            self._show(
                "In time",
                "Curves stand here after a run in time that kept instants: see time and save every of the run row.",
                {},
                "",
                None,
            )
        elif watch is None:
            past = self.session.history_of() or {}
            words = f"choose a watch to follow it; hottest place of each part, {shown.symbol('temperature')}"
            self._show("In time", words, curves_of_parts(past), "temperature", None)
        else:
            if self._of[0] is not result or self._of[1] is not self.session.document:
                self._of, self._found, self._left = (result, self.session.document), [], in_time(result, rows)
            self._draw_watch(watch)
            self._more.start()

    def _next(self) -> None:
        """Work out one more instant."""
        found = next(self._left, None) if self._left is not None and self.isVisible() else None
        if found is None:
            self._more.stop()
            return
        self._found.append(found)
        watch = self._chosen()
        if watch is not None:
            self._draw_watch(watch)

    def _chosen(self) -> Watch | None:
        """The watch that is selected."""
        rows = self.session.picture.drawn()[0]
        return next((x for x in rows if isinstance(x, Watch) and x.name in self.session.selected), None)

    def _draw_watch(self, watch: Watch) -> None:
        told = [(t, x[watch.name]) for t, x in self._found if watch.name in x]
        fault = next((x.fault for _, x in told if x.fault), "")
        good = [(t, x.value) for t, x in told if x.value is not None]
        dimension = told[-1][1].dimension if told else watch.dimension
        dimension = "ratio" if dimension == "=" else dimension
        curves = {watch.name: (np.array([t for t, _ in good]), np.array([v for _, v in good]))} if good else {}
        self._show(watch.name, fault or shown.symbol(dimension), curves, dimension, watch)

    def _show(self, title: str, words: str, curves: dict, dimension: str, watch: Watch | None) -> None:
        self.title.setText(title)
        self.words.setText(look.minus(words))
        self.curves, self._dimension = curves, dimension
        self.plot.clear()
        self.plot.setVisible(bool(curves))
        self.values.setVisible(bool(curves))
        if not curves:
            return
        last = max(float(t[-1]) for t, _ in curves.values())
        self._size, self._unit = unit_for(last)
        self.words.setText(look.minus(f"{words} against time, {self._unit}".lstrip()))
        for k, (t, y) in enumerate(curves.values()):
            pen = pg.mkPen(COLOURS[k % len(COLOURS)], width=1.5)
            self.plot.plot(t / self._size, shown.convert(y, dimension), pen=pen, connect="finite")
        if watch is not None:
            draw_bounds(self.plot, watch, dimension)
        self.plot.addItem(self.mark)
        self.plot.autoRange(padding=0.04)
        self._stand()

    def _stand(self) -> None:
        """Mark the shown instant, and tell the numbers there."""
        if not self.curves or not self.isVisible():
            return
        times = next(iter(self.curves.values()))[0]
        time = self.session.picture.time
        time = float(times[-1]) if time is None else time
        self.mark.blockSignals(True)
        self.mark.setValue(time / self._size)
        self.mark.blockSignals(False)
        rows = [
            (name, shown.text(float(np.interp(time, t, y)), self._dimension)) for name, (t, y) in self.curves.items()
        ]
        fill(self.values, (f"at {time / self._size:.4g} {self._unit}", ""), rows)
        for k in range(len(rows)):
            self.values.item(k, 0).setForeground(QBrush(QColor(COLOURS[k % len(COLOURS)])))

    def _click(self, event) -> None:
        box = self.plot.getPlotItem().vb
        if self.curves and box.sceneBoundingRect().contains(event.scenePos()):
            self._go(box.mapSceneToView(event.scenePos()).x())

    def _go(self, place: float) -> None:
        """Show the kept instant nearest to a place on the axis."""
        result = self.session.result()
        if result is None or not result.instants:
            return
        near = min(result.instants, key=lambda x: abs(x.time - place * self._size)).time
        if near != self.session.picture.time:
            self.session.picture.time = near
            self.session.tell("sight")
