"""Lines of a result as plots in the shelf: several quantities and layouts, measured points, a cursor shared with the
bench."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pyqtgraph as pg
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QBrush, QColor, QImage, QPainter
from PyQt6.QtWidgets import QApplication, QFileDialog, QHBoxLayout, QLabel, QMenu, QPushButton, QVBoxLayout

from ..errors import FileProblem, StithyError
from ..model import drawn
from ..project import assets
from ..read import export, shown
from ..read.along import Along, along
from ..read.measured import measured
from . import look
from .charts import COLOURS, plain_plot
from .page import Page
from .session import Session
from .tables import fill, plain_table

#: how curves of a second, third ... quantity are drawn
_STYLES = (Qt.PenStyle.SolidLine, Qt.PenStyle.DashLine, Qt.PenStyle.DotLine, Qt.PenStyle.DashDotLine)


class LinePlots(Page):
    """The chosen line (or the first one that is on) against its length."""

    def __init__(self, session: Session, _compare=None):
        super().__init__(session)
        self.plot = plain_plot("")
        self.plot.setTitle(None)
        self.plot.scene().sigMouseMoved.connect(self._hover)
        self.right = pg.ViewBox()
        item = self.plot.getPlotItem()
        item.scene().addItem(self.right)
        item.getAxis("right").linkToView(self.right)
        item.getAxis("right").setTextPen(look.INK2)
        self.right.setXLink(item)
        item.vb.sigResized.connect(lambda: self.right.setGeometry(item.vb.sceneBoundingRect()))
        self.cursor = pg.InfiniteLine(angle=90, pen=pg.mkPen(look.INK, width=1, style=Qt.PenStyle.DashLine))
        self.values = plain_table()
        self.title = QLabel()
        self.title.setStyleSheet("font-weight: 600;")
        self.words, self.note = QLabel(), QLabel(wordWrap=True)
        self.words.setProperty("quiet", True)
        self.note.setProperty("warn", True)
        self.more = QPushButton("Take along")
        menu = QMenu(self.more)
        menu.addAction("Copy numbers", self.copy)
        menu.addAction("Save numbers (.csv, .xlsx)", self.save_numbers)
        menu.addAction("Save plot (.svg, .png)", self.save_plot)
        menu.addSeparator()
        menu.addAction("Lay measured points over (.csv)", self.lay_over)
        self.more.setMenu(menu)
        self._lay_out()
        self.line: drawn.Line | None = None
        self.found: list[tuple[str, Along]] = []
        self.at = 0
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        for event in ("stage", "results", "layout", "document", "selection", "trial"):
            session.on(event, self.rebuild)

    def _lay_out(self) -> None:
        left, right = QVBoxLayout(), QVBoxLayout()
        head = QHBoxLayout()
        head.addWidget(self.title)
        head.addWidget(self.words)
        head.addWidget(self.note, 1)
        head.addWidget(self.more)
        left.addLayout(head)
        left.addWidget(self.plot, 1)
        right.addWidget(self.values)
        row = QHBoxLayout(self)
        row.setContentsMargins(12, 2, 12, 6)
        row.setSpacing(12)
        row.addLayout(left, 3)
        row.addLayout(right, 2)

    def rebuild(self) -> None:
        """Read the line anew and draw it, where it can be seen."""
        if not self.seen():
            return
        rows, faults = self.session.picture.drawn()
        lines = [x for x in rows if isinstance(x, drawn.Line)]
        chosen = [x for x in lines if x.name in self.session.selected]
        self.line = (chosen or [x for x in lines if x.on] or lines or [None])[0]
        self.more.setEnabled(self.line is not None)
        self.plot.clear()
        if self.line is None:
            self._empty("Lines", "Add a line (Add, Line) to plot any quantity along it.")
            return
        if self.line.name in faults:
            self._empty(self.line.name, str(faults[self.line.name]))
            return
        sections = [x for x in rows if isinstance(x, drawn.Section)]
        self.found, told = [], []
        for name in self.line.layouts or (self.session.layout,):
            result = self.session.result(name)
            if result is None:
                told.append(f"{name} has no result yet.")
                continue
            try:
                values = self.session.picture.library.values(result, self.line.paint.references)
                self.found.append((name, along(values, self.line, sections)))
            except StithyError as error:
                told.append(str(error).splitlines()[0])
        self.title.setText(self.line.name)
        self.note.setText(" ".join(told[:2]))
        self._draw()

    def _empty(self, title: str, note: str) -> None:
        self.title.setText(title)
        self.words.setText(look.minus(note))
        self.note.setText("")
        self.found = []
        fill(self.values, ("",), [])

    def _draw(self) -> None:
        line = self.line
        assert line is not None
        several = len(self.found) > 1
        first = line.quantities[0].dimension if line.quantities else ""
        second = next((q.dimension for q in line.quantities if q.dimension != first), "")
        self._second_axis(bool(second))
        for m, (name, one) in enumerate(self.found):
            for k, q in enumerate(line.quantities):
                pen = pg.mkPen(
                    COLOURS[(m if several else k) % len(COLOURS)],
                    width=2 if name == self.session.layout else 1.3,
                    style=_STYLES[k % 4 if several else 0],
                )
                curve = pg.PlotDataItem(
                    shown.convert(one.distance, "length"),
                    shown.convert(one.values[q.name], q.dimension),
                    pen=pen,
                    connect="finite",
                )
                (self.plot.getPlotItem().vb if q.dimension == first else self.right).addItem(curve)
        self._lay_measured()
        told = [f"{q.name}, {shown.symbol(q.dimension)}".rstrip(", ") for q in line.quantities]
        if second:
            told = [t + " (right)" * (q.dimension == second) for t, q in zip(told, line.quantities, strict=True)]
        words = f"{'; '.join(told)}; along the line, {shown.symbol('length')}"
        self.words.setText(look.minus(words))
        self.plot.addItem(self.cursor)
        self.plot.autoRange(padding=0.04)
        self.right.autoRange(padding=0.04)
        longest = max((len(one.distance) for _, one in self.found), default=0)
        self.at = min(self.at or longest // 2, max(longest - 1, 0))
        self._show_values()

    def _second_axis(self, wanted: bool) -> None:
        """A scale on the right for quantities of a second dimension."""
        item = self.plot.getPlotItem()
        self.right.clear()
        item.showAxis("right", wanted)
        self.right.setGeometry(item.vb.sceneBoundingRect())

    def _lay_measured(self) -> None:
        line = self.line
        assert line is not None
        if not line.measured or not line.quantities:
            return
        path = assets.find(line.measured)
        try:
            if path is None:
                raise StithyError(f"“{line.measured}” is not among this project's assets. Lay the file over again.")
            x, y = measured(path, line.quantities[0].dimension)
        except StithyError as error:
            self.note.setText(str(error))
            return
        self.plot.plot(
            shown.convert(x, "length"),
            shown.convert(y, line.quantities[0].dimension),
            pen=None,
            symbol="o",
            symbolSize=6,
            symbolPen=pg.mkPen(look.INK),
            symbolBrush=pg.mkBrush(look.SHEET),
        )

    def _hover(self, place) -> None:
        if not self.found or not self.plot.sceneBoundingRect().contains(place):
            return
        x = shown.back(self.plot.getPlotItem().vb.mapSceneToView(place).x(), "length")
        self.at = int(np.argmin(np.abs(self.found[0][1].distance - x)))
        self._show_values()

    def keyPressEvent(self, event):  # noqa: N802
        """Left and right step from point to point."""
        step = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1}.get(event.key())
        if step and self.found:
            self.at = int(np.clip(self.at + step, 0, len(self.found[0][1].distance) - 1))
            self._show_values()
        else:
            super().keyPressEvent(event)

    def _show_values(self) -> None:
        """Values of all curves at the cursor, and the cursor on the bench."""
        line = self.line
        if not self.found or line is None:
            return
        first = self.found[0][1]
        here = float(first.distance[self.at])
        self.cursor.setPos(float(shown.convert(here, "length")))
        heads = ["", *(f"{q.name} {shown.symbol(q.dimension)}".strip() for q in line.quantities)]
        heads[0] = f"at {shown.text(here, 'length')}"
        rows = []
        for name, one in self.found:
            k = int(np.argmin(np.abs(one.distance - here)))
            told = [shown.text(one.values[q.name][k], q.dimension, with_unit=False) for q in line.quantities]
            rows.append([name, *told])
        fill(self.values, heads, rows)
        for m in range(len(rows) if len(rows) > 1 else 0):  # in the colours of their curves
            self.values.item(m, 0).setForeground(QBrush(QColor(COLOURS[m % len(COLOURS)])))
        self.values.resizeColumnsToContents()
        self.session.picture.point_at(first.points[self.at])

    def table(self) -> tuple[list[str], list[list[float]]]:
        """Heads and rows of all that is plotted: places, distance, quantities of every layout."""
        line = self.line
        assert line is not None
        first = self.found[0][1]
        unit = shown.unit("length")
        heads = [f"distance {unit}", *(f"{a} {unit}" for a in "xyz")]
        columns = [shown.convert(first.distance, "length"), *shown.convert(first.points, "length").T]
        for name, one in self.found:
            for q in line.quantities:
                head = f"{q.name} {shown.unit(q.dimension)}".strip()
                heads.append(head + (f", {name}" if len(self.found) > 1 else ""))
                values = np.interp(first.distance, one.distance, one.values[q.name])
                columns.append(shown.convert(values, q.dimension))
        return heads, np.stack(columns, -1).tolist()

    def copy(self) -> None:
        """The numbers to the clipboard, with tabs."""
        if self.found:
            heads, rows = self.table()
            lines = ["\t".join(heads), *("\t".join(f"{x:.6g}" for x in row) for row in rows)]
            QApplication.clipboard().setText("\n".join(lines))

    def save_numbers(self) -> None:
        """The numbers as a table file."""
        path, _ = QFileDialog.getSaveFileName(self, "Save numbers", "line.csv", "Tables (*.csv *.xlsx)")
        if path and self.found:
            heads, rows = self.table()
            self._tried(lambda: export.sheet(path, {self.title.text(): (heads, rows)}))

    def save_plot(self) -> None:
        """The plot as a picture."""
        path, _ = QFileDialog.getSaveFileName(self, "Save plot", "line.svg", "Pictures (*.svg *.png)")
        if path:
            self._tried(lambda: save_plot(self.plot, Path(path)))

    def lay_over(self) -> None:
        """Take a file of measured points into the project and lay it over the line."""
        if self.line is None:
            return
        if self.session.folder is None:
            self.note.setText("Save the project first, so that the file has a place.")
            return
        path, _ = QFileDialog.getOpenFileName(self, "Measured points", "", "Tables (*.csv *.txt)")
        if path:
            self._tried(lambda: self._take(Path(path)))

    def _take(self, path: Path) -> None:
        assert self.line is not None
        assert self.session.folder is not None
        measured(path, self.line.quantities[0].dimension)
        name = assets.keep(self.session.folder, path, [])
        self.session.change([(self.line.name, "measured", name)], "lay measured points over")

    def _tried(self, work) -> None:
        try:
            work()
        except (StithyError, OSError) as error:
            self.note.setText(str(error).splitlines()[0])


def save_plot(plot: pg.PlotWidget, path: Path) -> None:
    """A plot as SVG, or as PNG at twice its size. Raises FileProblem."""
    if path.suffix.lower() == ".svg":
        from PyQt6.QtSvg import QSvgGenerator

        target = QSvgGenerator()
        target.setFileName(str(path))
        target.setSize(plot.size())
        target.setViewBox(plot.rect())
    else:
        path = path.with_suffix(".png")
        target = QImage(2 * plot.size(), QImage.Format.Format_RGB32)
        target.fill(QColor(look.SHEET))
    painter = QPainter(target)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    plot.render(painter)
    painter.end()
    good = target.save(str(path)) if isinstance(target, QImage) else path.is_file()
    if not good:
        raise FileProblem(f"{path}: not written. Choose a folder that can be written to.")
