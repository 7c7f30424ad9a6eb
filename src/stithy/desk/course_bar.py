"""The course of a run in time, in Run: how far it has come, what changed on the way, what is planned, to be dragged."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QColor, QFontMetricsF, QPainter, QPen, QPolygonF
from PyQt6.QtWidgets import QSizePolicy, QWidget

from ..errors import StithyError
from ..model import Model
from ..project.document import Document
from ..project.kind import KINDS
from ..read import shown
from ..weigh.chart import ticks
from . import look
from .session import Session

#: px: free at both ends, from the top to the axis, in all, and how near a press must be to a mark
MARGIN, AXIS, HEIGHT, NEAR = 16.0, 28.0, 56, 7.0
#: of the course that an arrow key moves a mark by, and digits of a time put by dragging
STEP, DIGITS = 0.01, 3
#: milliseconds of rest after which keys have been meant
REST = 500


@dataclass(frozen=True)
class Mark:
    """Something at a time (s): its words, and the ``event`` row that plans it ("": it has happened)."""

    time: float
    words: str
    event: str = ""


class Course(QWidget):
    """An axis from the beginning to the end; ``moved`` says that a planned event was put at another time (s)."""

    moved = pyqtSignal(str, float)

    def __init__(self) -> None:
        super().__init__()
        self.setFixedHeight(HEIGHT)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self.setAccessibleName("course of the run")
        #: s: in all, solved up to now (None: no run); its marks; instants kept; the planned event chosen
        self.length = 1.0
        self.now: float | None = None
        self.marks: list[Mark] = []
        self.instants: list[float] = []
        self.chosen = ""
        self._put: dict[str, float] = {}  # events that are being moved
        self._rest = QTimer(self, singleShot=True, interval=REST)
        self._rest.timeout.connect(self._settle)

    def x_of(self, time: float) -> float:
        """Where (px) a time (s) stands."""
        return MARGIN + (self.width() - 2.0 * MARGIN) * min(max(time / self.length, 0.0), 1.0)

    def at(self, x: float) -> float:
        """The time (s) at a place (px), with few digits."""
        time = self.length * min(max((x - MARGIN) / max(self.width() - 2.0 * MARGIN, 1.0), 0.0), 1.0)
        return round_to(max(time, self.now or 0.0), self.length)

    def _near(self, x: float) -> str:
        """The planned event whose mark stands at a place (px)."""
        planned = [m for m in self.marks if m.event]
        best = min(planned, key=lambda m: abs(self.x_of(self._time(m)) - x), default=None)
        return best.event if best is not None and abs(self.x_of(self._time(best)) - x) <= NEAR else ""

    def _time(self, mark: Mark) -> float:
        return self._put.get(mark.event, mark.time)

    def mousePressEvent(self, event):  # noqa: N802
        if event.button() == Qt.MouseButton.LeftButton:
            self._settle()
            self.chosen = self._near(event.position().x())
            self.update()

    def mouseMoveEvent(self, event):  # noqa: N802
        x = event.position().x()
        if event.buttons() & Qt.MouseButton.LeftButton and self.chosen:
            self._put[self.chosen] = self.at(x)
            self.update()
        elif not event.buttons():
            over = self._near(x)
            self.setCursor(Qt.CursorShape.SizeHorCursor if over else Qt.CursorShape.ArrowCursor)
            told = next((f"{m.words} at {shown.text(m.time, 'time')}" for m in self.marks if m.event == over), "")
            tip = f"{told}: drag it, or arrow keys" if over else "What is planned (Add, event) can be dragged"
            self.setToolTip(tip)

    def mouseReleaseEvent(self, event):  # noqa: N802
        if event.button() == Qt.MouseButton.LeftButton:
            self._settle()

    def keyPressEvent(self, event):  # noqa: N802
        way = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1}.get(event.key())
        mark = next((m for m in self.marks if m.event and m.event == self.chosen), None)
        if way is None or mark is None:
            super().keyPressEvent(event)
            return
        time = min(max(self._time(mark) + way * STEP * self.length, self.now or 0.0), self.length)
        self._put[mark.event] = round_to(time, self.length)
        self.update()
        self._rest.start()

    def _settle(self) -> None:
        """Tell what was moved."""
        self._rest.stop()
        put, self._put = self._put, {}
        for name, time in put.items():
            if any(m.event == name and m.time != time for m in self.marks):
                self.moved.emit(name, time)
        self.update()

    def paintEvent(self, event):  # noqa: N802
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        low, high = MARGIN, self.width() - MARGIN
        bar = QRectF(low, AXIS, high - low, 5.0)
        p.fillRect(bar, QColor(look.RULE))
        if self.now is not None:
            p.fillRect(QRectF(low, AXIS, self.x_of(self.now) - low, 5.0), QColor(look.SLATE))
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(QColor(look.SHEET))
        for time in self.instants:
            p.drawEllipse(QPointF(self.x_of(time), AXIS + 2.5), 1.7, 1.7)
        self._ticks(p)
        taken = -np.inf
        for mark in sorted(self.marks, key=self._time):
            taken = self._mark(p, mark, taken)
        if self.now is not None:
            p.setPen(QPen(QColor(look.INK), 2.0))
            p.drawLine(QPointF(self.x_of(self.now), AXIS - 4), QPointF(self.x_of(self.now), AXIS + 9))
        p.end()

    def _ticks(self, p: QPainter) -> None:
        """Round times along the axis."""
        size, unit = unit_for(self.length)
        p.setFont(look.font(12))
        metrics = QFontMetricsF(p.font())
        marks = ticks(0.0, self.length / size, 6)
        for at in marks:
            x, text = self.x_of(at * size), f"{at:.6g} {unit}" if at == marks[-1] else f"{at:.6g}"
            p.setPen(QPen(QColor(look.INK2), 1.0))
            p.drawLine(QPointF(x, AXIS + 5), QPointF(x, AXIS + 9))
            left = min(x - 0.5 * metrics.horizontalAdvance(text), self.width() - metrics.horizontalAdvance(text) - 2)
            p.drawText(QPointF(max(left, 2.0), AXIS + 22), text)

    def _mark(self, p: QPainter, mark: Mark, taken: float) -> float:
        """A flag: full for what has happened, open and dashed for what is planned; words where there is room."""
        x, planned = self.x_of(self._time(mark)), bool(mark.event)
        chosen = planned and mark.event == self.chosen and self.hasFocus()
        ink = QColor(look.TEAL if chosen else look.INK)
        p.setPen(QPen(ink, 1.2, Qt.PenStyle.DashLine if planned else Qt.PenStyle.SolidLine))
        p.drawLine(QPointF(x, 14), QPointF(x, AXIS))
        p.setPen(QPen(ink, 1.4))
        p.setBrush(QColor(look.SHEET) if planned else ink)
        p.drawPolygon(QPolygonF([QPointF(x - 4.5, 7), QPointF(x + 4.5, 7), QPointF(x, 14)]))
        p.setFont(look.font(12))
        metrics = QFontMetricsF(p.font())
        words = mark.words
        if mark.event in self._put:
            words = f"{words}, {shown.text(self._put[mark.event], 'time')}"
        wide = metrics.horizontalAdvance(words)
        left = x + 9 if x + 9 + wide < self.width() else x - 9 - wide
        if left < taken:
            return max(taken, x + 9)
        p.setPen(QColor(look.INK if not planned else look.INK2))
        p.drawText(QPointF(left, 15), words)
        return max(left + wide + 10, x + 9)


def round_to(time: float, length: float) -> float:
    """A time with :data:`DIGITS` digits of the whole course."""
    least = 10.0 ** (np.floor(np.log10(max(length, 1e-12))) - DIGITS + 1)
    return float(f"{round(time / least) * least:.6g}")


def unit_for(length: float) -> tuple[float, str]:
    """The unit (s, and its name) of an axis over a course."""
    return (3600.0, "h") if length > 7200 else (60.0, "min") if length > 600 else (1.0, "s")


def planned(model: Model, document: Document, layout: str, from_: float) -> list[Mark]:
    """The events of a layout that are still to come."""
    kinds = {r.name: r.kind for r in document.rows_of(layout)}
    out = []
    for e in model.events:
        if e.time > from_ or e.time == from_ == 0.0:
            title = KINDS[kinds[e.row]].cells[e.key].title if e.row in kinds else e.key
            out.append(Mark(e.time, f"{e.row}: {title} {e.text}", e.name))
    return out


class CourseBar(Course):
    """The course of the shown layout's run in time; ``refused`` says why an event could not be moved."""

    refused = pyqtSignal(str)

    def __init__(self, session: Session):
        super().__init__()
        self.session = session
        self.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)
        self.moved.connect(self._move)
        for event in ("run", "stage", "layout", "document", "results"):
            session.on(event, self.rebuild)
        self.rebuild()

    def rebuild(self) -> None:
        """Take the course from the run that is on, or from the last result."""
        s = self.session
        model = s.standing().model if s.stage == "Run" else None
        plan = model.run.time if model is not None else None
        self.setVisible(plan is not None)
        if model is None or plan is None:
            return
        state, self.length = s.run_state, plan.length
        on = s.run is not None and state.layout == s.layout and bool(state.cells)
        log = state.log if on else (s.standing().summary or {}).get("log", [])
        done = state.history[-1].time if on and state.history else None
        result = None if on else s.result()
        self.now = done if on else None
        self.instants = [x.time for x in result.instants] if result is not None else []
        if on and plan.save and done:
            self.instants = [float(t) for t in np.arange(plan.save, done * (1 + 1e-9), plan.save)]
        gone = [Mark(float(x[2]), x[4]) for x in log if x[3] == "turned"] if on else []
        self.marks = [*gone, *planned(model, s.document, s.layout, done or 0.0)]
        self.update()

    def _move(self, name: str, time: float) -> None:
        size, unit = unit_for(self.length)
        try:
            self.session.plan(name, f"{time / size:.6g} {unit}")
        except StithyError as error:
            self.refused.emit(str(error))
            self.rebuild()
