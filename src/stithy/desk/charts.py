"""Live charts of a run: residuals and the watched temperatures; and the state of the run in words."""

from __future__ import annotations

import time

import numpy as np
import pyqtgraph as pg
from PyQt6.QtCore import Qt, QTimer
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QProgressBar, QPushButton, QStackedWidget, QVBoxLayout, QWidget

from ..model.drawn import Watch
from ..read import shown
from . import look
from .chart_choice import FLOW, NO_WATCH, PRESSURE, ChartChoice, axis, curves, title
from .session import Session

COLOURS = ("#23282D", "#14545E", "#A8734F", "#5F4670", "#7F8F7A", "#7A4A3A", "#3E8288", "#8C7A3C", "#94779A")


#: signs of what was done while a run was on
MARKED, MOST_MARKS = ("refined", "turned"), 6


def plain_plot(title: str) -> pg.PlotWidget:
    """A quiet plot: horizontal lines only, nothing to press."""
    plot = pg.PlotWidget(background=look.SHEET)
    plot.setTitle(title, color=look.INK2, size="9pt")
    plot.getAxis("left").setWidth(44)
    for side in ("left", "bottom"):
        plot.getAxis(side).setPen(look.RULE)
        plot.getAxis(side).setTextPen(look.INK2)
        plot.getAxis(side).setStyle(tickFont=look.font(11))
    plot.setMouseEnabled(False, False)
    plot.setMenuEnabled(False)
    plot.hideButtons()
    plot.getPlotItem().showGrid(x=False, y=True, alpha=0.15)
    return plot


def draw_bounds(plot: pg.PlotWidget, watch: Watch, dimension: str) -> None:
    """The bounds of a watch across its plot."""
    for bound in (watch.least, watch.most):
        if bound is not None:
            at = float(shown.convert(bound, dimension))
            plot.addItem(pg.InfiniteLine(pos=at, angle=0, pen=pg.mkPen(look.EMBER, width=1)))


def _of_parts(past: dict) -> dict:
    """The columns of a history that are temperatures (K) of parts."""
    ends = (FLOW, PRESSURE)
    return {n: np.asarray(y, float) for n, y in past.items() if n not in NO_WATCH and not n.endswith(ends)}


def curves_of_parts(past: dict) -> dict[str, tuple[np.ndarray, np.ndarray]]:
    """Time (s) and hottest temperature (K) of every part, from the history of a run in time; empty for other runs."""
    time = np.asarray(past.get("time", ()), float)
    if len(time) < 2 or not time[-1] > time[0]:
        return {}
    return {n: (time, y) for n, y in _of_parts(past).items()}


def _above_nought(y) -> np.ndarray:
    """Residuals as they are drawn: 1e-6 at least, and nothing where there was none (the first iteration from rest)."""
    y = np.asarray(y, float)
    return np.where(y > 0.0, np.maximum(y, 1e-6), np.nan) if (y > 0.0).any() else np.full(y.shape, 1e-6)


def _flows(names, flows) -> str:
    """What enters by every opening (m3/s) in words; three digits, and none where next to nothing passes."""
    most = max((abs(q) for q in flows), default=0.0)
    if most < 1e-12:
        return ""
    kept = [q if abs(q) > 1e-3 * most else 0.0 for q in flows]
    return ", ".join(f"{n} {3600 * q:.3g}" for n, q in zip(names, kept, strict=False)) + " m³/h in"


class Charts(QWidget):
    """Three places: what the run does in words, residuals, temperatures."""

    def __init__(self, session: Session):
        super().__init__()
        self.session = session
        self.text = QLabel(wordWrap=True)
        self.text.setStyleSheet("font-weight: 600;")
        self.detail = QLabel(wordWrap=True)
        self.detail.setProperty("quiet", True)
        self.bar = QProgressBar()
        self.bar.setTextVisible(False)
        self.bar.setFixedHeight(8)
        self.stop = QPushButton("Stop and keep")
        self.stop.clicked.connect(session.stop_run)
        self.residuals = plain_plot("residuals against iterations")
        self.watches = plain_plot("hottest place of each part, °C")
        self.watched = plain_plot("watch")
        self.watched.hide()
        self.finer = QPushButton("Refine now")
        self.finer.setToolTip("Go on with a grid refined by the present result, of about twice the cells")
        self.finer.clicked.connect(session.refine_now)
        words, first = QVBoxLayout(), QHBoxLayout()
        first.addWidget(self.stop)
        first.addWidget(self.finer)
        first.addStretch(1)
        words.addWidget(self.text)
        words.addLayout(first)
        for item in (self.bar, self.detail):
            words.addWidget(item)
        words.addStretch(1)
        row = QHBoxLayout(self)
        row.setContentsMargins(12, 8, 12, 8)
        row.setSpacing(12)
        left = QWidget()
        left.setLayout(words)
        left.setFixedWidth(270)
        row.addWidget(left)
        self._pages = {}
        self.choices = {
            self.residuals: ChartChoice("left", "residuals", "iteration", "log"),
            self.watches: ChartChoice("right", "temperatures", "time", "linear"),
        }
        self._columns: dict = {}
        self._marks: list[tuple[int, float, float, str]] = []
        for plot, words in ((self.residuals, "curves"), (self.watches, "curves")):  # no axes without curves
            empty = QLabel(f"{words}: drawn after the first iterations", alignment=Qt.AlignmentFlag.AlignCenter)
            empty.setProperty("quiet", True)
            page = self._pages[plot] = QStackedWidget()
            page.addWidget(empty)
            page.addWidget(plot)
            choice = self.choices[plot]
            choice.setParent(page)
            choice.resize(choice.sizeHint())
            choice.move(2, 2)
            choice.show()
            choice.raise_()
            choice.chosen.connect(self._chosen)
            row.addWidget(page, 1)
        row.addWidget(self.watched, 1)
        for event in ("run", "layout", "results"):
            session.on(event, self.rebuild)
        self._entering = QTimer(self, singleShot=True, interval=60)  # after the rest of the stage has been drawn
        self._entering.timeout.connect(self.rebuild)
        session.on("stage", self._enter)
        self._drawn, self._turn = 0.0, 1  # while a run is on the two plots take turns
        self._data, self._lines = {}, {}
        self._marked: dict = {}
        self._later = QTimer(self, singleShot=True, interval=60)  # so that no single moment is long
        self._later.timeout.connect(lambda: self._draw(self.watches))

    def _enter(self):
        for page in self._pages.values():  # nothing old is drawn meanwhile
            page.setCurrentIndex(0)
        self._entering.start()

    def rebuild(self):
        """Show the run that is on, or the stored history of the shown layout."""
        if self.session.stage != "Run":
            return
        state = self.session.run_state
        mine = state.layout == self.session.layout
        running = self.session.run is not None
        self.stop.setVisible(running)
        model = self.session.standing(state.layout).model if running and state.cells else None
        self.finer.setVisible(model is not None and model.run.time is None)
        self.bar.setVisible(running)
        if mine and (running or state.history or state.over in ("failed", "refused")):
            self._live(state, running)
        else:
            self._stored(running, state)

    def _live(self, state, running):
        self.text.setText(state.text)
        h = state.history
        if not h:
            self.detail.setText("")
            self.bar.setRange(0, 0)
            self._clear()
            return
        last = h[-1]
        if last.phase == "coarse grid":
            self.text.setText("On a coarser grid first, for the bands")
        left = f", {last.left}" if running and last.left else ""
        if self.bar.maximum() != 1000:
            self.bar.setRange(0, 1000)
        total = last.seconds + (last.remaining if last.remaining == last.remaining else 60)
        part = round(50 * last.seconds / max(total, 1e-9)) * 20
        if part != self.bar.value():  # each new value is painted at once, so few of them
            self.bar.setValue(part)
        self.detail.setText(
            look.minus(
                f"iteration {last.iteration}, {last.seconds:.0f} s{left}\n"
                f"heat balance off by {100 * last.heat:.2g} %\n"
                + (f"watches moved {last.drift:.2f} K lately\n" if np.isfinite(last.drift) and not last.time else "")
                + (f"at {last.time:.4g} s\n" if last.time else "")
                + _flows(state.ends, last.flows)
            )
        )
        self._follow(state)
        now = time.perf_counter()
        if running and now - self._drawn < 1.0:
            return  # the words follow every report, the curves in turn once a second
        self._turn, self._drawn = 1 - self._turn, now
        own = next((m for m, x in enumerate(h) if x.phase not in ("coarse grid", "done")), len(h))
        live = [x for m, x in enumerate(h) if x.phase != "done" and (m < own or x.phase != "coarse grid")]
        live = [x for x in live if len(x.watches) >= len(state.watches)]  # a rough grid may lack a part
        if not live:
            return
        columns = {n: np.array([getattr(x, n) for x in live]) for n in NO_WATCH}
        columns |= {n: np.array([x.watches[k] for x in live]) for k, n in enumerate(state.watches)}
        columns |= {n + FLOW: np.array([x.flows[k] for x in live]) for k, n in enumerate(state.ends)}
        self._curves(columns, state.log, self._turn if running else None)

    def _follow(self, state) -> None:
        """The chosen watch (or the first) as it moves, with its bounds."""
        watches = [x for x in self.session.picture.drawn()[0] if isinstance(x, Watch)]
        chosen = [x for x in watches if x.name in self.session.selected]
        chosen = chosen or [x for x in watches if x.name not in state.watches]  # parts have their own chart
        points = [(i, v[chosen[0].name]) for i, v in state.followed if chosen and chosen[0].name in v]
        self.watched.setVisible(len(points) > 1)
        if len(points) < 2:
            return
        w = chosen[0]
        dimension = "ratio" if w.dimension == "=" else w.dimension
        self.watched.setTitle(f"{w.name}, {shown.symbol(dimension)}".rstrip(", "), color=look.INK2, size="9pt")
        self.watched.clear()
        i, y = np.array(points).T
        self.watched.plot(i, shown.convert(y, dimension), pen=pg.mkPen(COLOURS[0], width=1.5))
        draw_bounds(self.watched, w, dimension)

    def _stored(self, running, state):
        self.bar.setVisible(False)
        past = self.session.history_of()
        summary = self.session.standing().summary
        if running:
            self.text.setText(f"Solving “{state.layout}”")
        elif summary:
            self.text.setText("Settled" if summary["settled"] else "Stopped before it settled; kept")
        else:
            self.text.setText("Not solved yet")
        detail = "Press Run to solve this layout. It continues from the last field when the grid is the same."
        if summary:
            cells = f"{summary['cells']:,}".replace(",", " ")
            detail = (
                f"{summary['iterations']} iterations in {summary['seconds']:.0f} s, {cells} cells. "
                "Press Run to continue after a change."
            )
        self.detail.setText(detail)
        self._clear()
        if past is not None and len(past.get("iteration", ())) > 1 and set(NO_WATCH) <= set(past):
            self._curves(past, (summary or {}).get("log", ()))

    def _clear(self):
        self._later.stop()
        self._lines, self._columns = {}, {}
        self._clear_plots()

    def _clear_plots(self) -> None:
        self._marked = {}
        for plot in (self.residuals, self.watches):
            self._pages[plot].setCurrentIndex(0)
            plot.clear()

    def _curves(self, columns, log=(), turn=None):
        """Draw both plots, each in an event of its own, or only the one whose ``turn`` it is (0 or 1), from the columns
        of a history, with marks where something was done."""
        if len(columns["iteration"]) > 300:  # no more points than can be seen
            keep = np.unique(np.linspace(0, len(columns["iteration"]) - 1, 300).astype(int))
            columns = {n: np.asarray(y)[keep] for n, y in columns.items()}
        self._columns = columns
        self._marks = [(i, t, s, words) for s, i, t, kind, words in log if kind in MARKED]
        self._data = {}
        for plot, choice in self.choices.items():
            x, against = axis(choice.against, columns)
            plot.setTitle(title(choice.group, against), color=look.INK2, size="9pt")
            plot.setLogMode(y=choice.scale_ == "log")
            marks = [({"iteration": i, "time": t, "clock": s}[against], words) for i, t, s, words in self._marks]
            self._data[plot] = x, curves(choice.group, columns), marks
        if turn != 1:
            self._draw(self.residuals)
        if turn != 0:
            self._later.start()

    def _chosen(self) -> None:
        """Another choice over one of the charts."""
        self._lines = {}
        if self._columns:
            self._clear_plots()
            log = [(s, i, t, MARKED[0], words) for i, t, s, words in self._marks]
            self._curves(self._columns, log)

    def _draw_marks(self, plot, marks, low: float, high: float) -> None:
        """A line through a chart wherever something was done, with its words along it."""
        for item in self._marked.pop(plot, ()):
            plot.removeItem(item)
        items, x0, x1 = [], *plot.getViewBox().viewRange()[0]
        for m, (x, words) in enumerate(marks[-MOST_MARKS:]):
            line = pg.InfiniteLine(pos=x, angle=90, pen=pg.mkPen(look.SLATE, width=1, style=Qt.PenStyle.DashLine))
            text = words.removeprefix("Refined by results: ").split(" in ")[0]
            left = x < 0.5 * (x0 + x1)
            label = pg.TextItem(text if len(text) < 30 else text[:28] + " …", color=look.INK2, anchor=(1 - left, 1))
            label.setFont(look.font(11))
            label.setPos(x, low + (high - low) * 0.13 * (m % 4))
            items += [line, label]
        for item in items:
            plot.addItem(item, ignoreBounds=True)
        self._marked[plot] = items

    def _draw(self, plot):
        i, data, marks = self._data[plot]
        if not data:
            self._pages[plot].setCurrentIndex(0)
            return
        log = self.choices[plot].scale_ == "log"
        self._pages[plot].setCurrentWidget(plot)
        self.choices[plot].raise_()
        if tuple(data) != tuple(self._lines.get(plot, ())):
            plot.clear()
            self._lines[plot] = {}
            for k, name in enumerate(data):
                colour = COLOURS[k % len(COLOURS)]
                label = pg.TextItem(name.replace("_", " "), color=colour, anchor=(0, 0.5))
                label.setFont(look.font(11))
                plot.addItem(label)
                self._lines[plot][name] = plot.plot(pen=pg.mkPen(colour, width=1)), label
        ends, low, high = [], np.inf, -np.inf
        for name, y in data.items():
            curve, label = self._lines[plot][name]
            y = _above_nought(y) if log else np.asarray(y, float)
            curve.setData(i, y, connect="finite")
            drawn = np.log10(y) if log else y
            low, high = min(low, float(np.nanmin(drawn))), max(high, float(np.nanmax(drawn)))
            ends.append((drawn[-1] if np.isfinite(drawn[-1]) else low, label))
        room = max(plot.height() - 60, 40)
        self._label(plot, i, ends, (high - low) * 17 / room, max(room // 17, 2))
        self._draw_marks(plot, marks, low, high)

    @staticmethod
    def _label(plot, i, ends, gap, most: int):
        """Names at the ends of the curves, the ``most`` highest of them, at least ``gap`` apart."""
        ends.sort(key=lambda e: e[0])
        for m, (_, label) in enumerate(ends):
            label.setVisible(m >= len(ends) - most)
        ends, last = ends[-most:], -np.inf
        for value, label in ends:
            last = max(value, last + gap)
            label.setPos(i[0] + (i[-1] - i[0]) * 1.01, last)
        plot.setXRange(i[0], i[0] + ((i[-1] - i[0]) or 1.0) * 1.28, padding=0)
