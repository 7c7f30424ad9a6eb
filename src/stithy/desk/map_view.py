"""One number over two of what is varied, as cells with their values; the keys move between them."""

from __future__ import annotations

from PyQt6.QtCore import QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QPainter, QPen
from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QLabel, QSizePolicy, QVBoxLayout, QWidget

from ..errors import StithyError
from ..weigh.chart import headed
from ..weigh.limits import CLOSE, FAILS
from ..weigh.maps import Map, able, cell_text, mapped, shares, tone
from ..weigh.overview import Overview
from . import look

#: px left of the cells, below them, and over them
BESIDE, BELOW, OVER = 130.0, 36.0, 18.0
NONE = "A map needs points that differ in two things, with at most 24 values each: a sweep over every combination."


class Cells(QWidget):
    """The cells of a map; ``chosen`` says (column, row) of the one that was pressed or moved to."""

    chosen = pyqtSignal(int, int)

    def __init__(self) -> None:
        super().__init__()
        self.setMinimumHeight(110)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("map")
        self.map: Map | None = None
        self.heads = ("", "")
        self.at: tuple[int, int] | None = None

    def put(self, found: Map | None, heads: tuple[str, str]) -> None:
        """Show a map; ``heads`` name what goes across and up."""
        self.map, self.heads, self.at = found, heads, None
        self.update()

    def box(self, column: int, row: int) -> QRectF:
        """Where (px) a cell is drawn."""
        assert self.map is not None
        wide = (self.width() - BESIDE - 8.0) / len(self.map.columns)
        tall = (self.height() - BELOW - OVER) / len(self.map.rows)
        top = OVER + tall * (len(self.map.rows) - 1 - row)
        return QRectF(BESIDE + wide * column, top, wide - 2.0, tall - 2.0)

    def mousePressEvent(self, event):  # noqa: N802
        if self.map is None:
            return
        for c in range(len(self.map.columns)):
            for r in range(len(self.map.rows)):
                if self.box(c, r).contains(event.position()):
                    self._choose(c, r)

    def keyPressEvent(self, event):  # noqa: N802
        keys = {Qt.Key.Key_Left: (-1, 0), Qt.Key.Key_Right: (1, 0), Qt.Key.Key_Up: (0, 1), Qt.Key.Key_Down: (0, -1)}
        way = keys.get(event.key())
        if way is None or self.map is None:
            super().keyPressEvent(event)
            return
        c, r = self.at or (0, 0)
        self._choose(
            min(max(c + way[0], 0), len(self.map.columns) - 1), min(max(r + way[1], 0), len(self.map.rows) - 1)
        )

    def _choose(self, column: int, row: int) -> None:
        self.at = column, row
        self.update()
        self.chosen.emit(column, row)

    def paintEvent(self, event):  # noqa: N802
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        p.fillRect(self.rect(), QColor(look.SHEET))
        p.setFont(look.font(13))
        if self.map is None:
            p.setPen(QColor(look.INK2))
            p.drawText(QRectF(self.rect()), Qt.AlignmentFlag.AlignCenter, NONE)
            return
        x, known = self.map, shares(self.map)
        right = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
        p.setPen(QColor(look.INK2))
        p.drawText(QRectF(0, 0, BESIDE - 8, OVER), right, look.minus(self.heads[1]))
        low = self.height() - BELOW
        wide = QRectF(BESIDE, low + 16, self.width() - BESIDE - 8, 18)
        p.drawText(wide, Qt.AlignmentFlag.AlignCenter, look.minus(self.heads[0]))
        for r, name in enumerate(x.rows):
            box = self.box(0, r)
            p.setPen(QColor(look.INK))
            p.drawText(QRectF(0, box.top(), BESIDE - 8, box.height()), right, look.minus(name))
            for c in range(len(x.columns)):
                self._cell(p, c, r, known[r, c])
        p.setPen(QColor(look.INK))
        for c, name in enumerate(x.columns):
            box = self.box(c, 0)
            under = QRectF(box.left(), low, box.width(), 16)
            p.drawText(under, Qt.AlignmentFlag.AlignCenter, look.minus(name))

    def _cell(self, p: QPainter, column: int, row: int, share: float) -> None:
        assert self.map is not None
        box, n = self.box(column, row), self.map.line(column, row)
        p.fillRect(box, QColor(*tone(share)) if n is not None else QColor(look.PAPER))
        if (column, row) == self.at:
            p.setPen(QPen(QColor(look.INK), 2.0))
            p.drawRect(box.adjusted(1, 1, -1, -1))
        if n is not None and n.verdict in (FAILS, CLOSE):
            edge = QRectF(box.left(), box.top(), 5.0, box.height())
            p.fillRect(edge, QColor(look.EMBER if n.verdict == FAILS else look.STRAW))
        p.setPen(QColor(look.INK))
        p.drawText(box, Qt.AlignmentFlag.AlignCenter, look.minus(cell_text(self.map, column, row)))


class MapView(QWidget):
    """A map with what it is of; ``said`` tells what is shown, ``picked`` the line of the chosen cell (or None)."""

    said = pyqtSignal(str)
    picked = pyqtSignal(object)

    def __init__(self) -> None:
        super().__init__()
        self.across, self.up, self.number = QComboBox(), QComboBox(), QComboBox()
        self.cells = Cells()
        self.cells.chosen.connect(self._chosen)
        #: what it is of, to stand in the head of the page
        self.fields = QWidget()
        top = QHBoxLayout(self.fields)
        top.setContentsMargins(0, 0, 0, 0)
        for words, box in (("map of", self.number), ("over", self.across), ("and", self.up)):
            box.setAccessibleName(f"map, {words}")
            box.activated.connect(lambda *_: self.draw())
            top.addWidget(QLabel(words))
            top.addWidget(box, 1)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.addWidget(self.cells, 1)
        self.table: Overview | None = None

    def put(self, table: Overview) -> None:
        """Take a table."""
        self.table = table
        good = able(table)
        for k, (box, names) in enumerate(((self.across, good), (self.up, good), (self.number, list(table.numbers)))):
            now = box.currentText()
            box.clear()
            box.addItems(names)
            first = now if now in names else "worst margin" if "worst margin" in names else ""
            box.setCurrentIndex(names.index(first) if first else min(k, len(names) - 1) if k < 2 else 0)
        self.draw()

    def draw(self) -> None:
        """Show the map that the fields ask for."""
        if self.table is None:
            return
        across, up, number = (b.currentText() for b in (self.across, self.up, self.number))
        try:
            found = mapped(self.table, across, up, number)
        except StithyError as error:
            self.cells.put(None, ("", ""))
            self.said.emit(str(error) if len(able(self.table)) > 1 else NONE)
            return
        self.cells.put(found, (headed(self.table, across), headed(self.table, up)))
        self.said.emit(f"{found.told()} ✓ meets, ~ too close to call, ✗ fails. Click a cell.")

    def _chosen(self, column: int, row: int) -> None:
        assert self.cells.map is not None
        self.picked.emit(self.cells.map.line(column, row))
