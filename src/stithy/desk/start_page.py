"""The page that the program begins with: recent projects, models to start from, the jobs of Tolva Head."""

from __future__ import annotations

import os
from collections.abc import Callable
from pathlib import Path
from queue import SimpleQueue
from threading import Thread

from PyQt6.QtCore import QPointF, QRectF, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QColor, QKeySequence, QPainter, QPen, QPixmap, QPolygonF, QShortcut
from PyQt6.QtWidgets import (
    QFileDialog,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from .. import __version__, jobs, starts
from ..errors import StithyError
from ..project import recent
from . import look
from .recent_tiles import RecentTile, look_at

DRAWINGS = Path(jobs.DATA) / "starts"
#: what a job decides
DECIDES = {
    "lamp-driver": ("Lamp driver", "Which fan, vents and sink meet all limits?"),
    "exhaust-heater": ("Exhaust heater", "How warm does the water get?"),
    "fog-horn-duct": ("Fog-horn duct", "Does the core stay cool?"),
    "leaky-housing": ("Leaky housing", "It seals, and stays cool enough?"),
    "relay-box": ("Relay box", "Is it cool enough without wind?"),
    "sea-water-manifold": ("Sea-water manifold", "Is the outlet even enough?"),
    "inverter-cold-plate": ("Inverter cold plate", "Which channels hold 80 °C?"),
    "jacket-cooler": ("Jacket cooler", "Are baffles worth their pressure?"),
    "air-heater": ("Air heater", "Fins, or plain tubes?"),
    "deck-pipe": ("Deck pipe", "Where is the wall's hot spot?"),
    "ribbed-channel": ("Ribbed channel", "How high should the ribs be?"),
    "battery-bath": ("Battery bath", "Does boiling hold the cells?"),
    "mast-rod": ("Mast rod", "What power keeps the ice off?"),
    "lamp-sink": ("Lamp sink", "Plates or pins, and how many?"),
    "night-switch-off": ("Night switch-off", "When may hands touch it?"),
    "oil-well-heater": ("Oil well heater", "Is it warm before the watch?"),
}
#: jobs shown at once
AT_ONCE = 6
HEAD = "font-size: 15px; font-weight: 600;"
#: kinds of files that solids are taken from
SOLIDS = (".step", ".stp", ".stl", ".obj", ".3mf", ".ply")


class Tile(QWidget):
    """A drawing with words below; pressed by mouse, Enter or Space."""

    pressed = pyqtSignal(str)

    def __init__(self, name: str, title: str, words: str, drawing: Path | None, size: tuple[int, int], note: str = ""):
        super().__init__()
        self.name, self.title, self.words, self.note = name, title, words, note
        self.drawing = QPixmap(str(drawing)) if drawing is not None else QPixmap()
        self.setFixedSize(*size)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(title)
        self.setToolTip(words)

    def enterEvent(self, event):  # noqa: N802
        self.update()

    def leaveEvent(self, event):  # noqa: N802
        self.update()

    def mouseReleaseEvent(self, event):  # noqa: N802
        if event.button() == Qt.MouseButton.LeftButton and self.rect().contains(event.pos()):
            self.pressed.emit(self.name)

    def keyPressEvent(self, event):  # noqa: N802
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Space):
            self.pressed.emit(self.name)
        else:
            super().keyPressEvent(event)

    def paintEvent(self, event):  # noqa: N802
        p = QPainter(self)
        p.setRenderHints(QPainter.RenderHint.Antialiasing | QPainter.RenderHint.SmoothPixmapTransform)
        strong = self.underMouse() or self.hasFocus()
        p.setPen(QPen(QColor(look.INK if strong else look.RULE), 1.5 if strong else 1))
        p.setBrush(QColor("#FFFFFF"))
        p.drawRoundedRect(QRectF(1, 1, self.width() - 2, self.height() - 2), 4, 4)
        words = 56 if self.note else 30
        room = QRectF(4, 6, self.width() - 8, self.height() - words - 10)
        if not self.drawing.isNull():
            scale = min(room.width() / self.drawing.width(), room.height() / self.drawing.height())
            w, h = self.drawing.width() * scale, self.drawing.height() * scale
            target = QRectF(room.center().x() - w / 2, room.center().y() - h / 2, w, h)
            p.drawPixmap(target, self.drawing, QRectF(self.drawing.rect()))
        else:
            self._sign(p, room)
        p.setPen(QColor(look.INK))
        p.setFont(look.font(14, 600))
        if not self.note:
            at = QRectF(4, self.height() - 30, self.width() - 8, 22)
            p.drawText(at, Qt.AlignmentFlag.AlignHCenter | Qt.AlignmentFlag.AlignVCenter, self.title)
            return
        p.drawText(QRectF(10, self.height() - 58, self.width() - 20, 18), Qt.AlignmentFlag.AlignLeft, self.title)
        p.setFont(look.font(12))
        p.setPen(QColor(look.INK2))
        at = QRectF(10, self.height() - 40, self.width() - 20, 34)
        p.drawText(at, int(Qt.AlignmentFlag.AlignLeft) | int(Qt.TextFlag.TextWordWrap), self.words)

    def _sign(self, p: QPainter, room: QRectF) -> None:
        """A ground plan with three axes for nothing; a sheet with a solid on it for a file."""
        c, w, h = room.center(), 0.30 * room.width(), 0.17 * room.height()

        def at(x: float, y: float, z: float = 0.0) -> QPointF:
            return QPointF(c.x() + (x - y) * w, c.y() + 0.5 * h + (x + y) * h - z * 2.2 * h)

        p.setBrush(Qt.BrushStyle.NoBrush)
        if self.name == "nothing":
            p.setPen(QPen(QColor(look.RULE), 1))
            for m in range(-2, 3):
                p.drawLine(at(m / 2, -1), at(m / 2, 1))
                p.drawLine(at(-1, m / 2), at(1, m / 2))
            p.setPen(QPen(QColor(look.INK), 1.4))
            for end in (at(0.6, 0), at(0, 0.6), at(0, 0, 0.9)):
                p.drawLine(at(0, 0), end)
            return
        p.setPen(QPen(QColor(look.INK2), 1.2))
        wide, tall, fold = 0.46 * room.width(), 0.9 * room.height(), 0.12 * room.width()
        x, y = c.x() - wide / 2, c.y() - tall / 2
        sheet = [(0, 0), (wide - fold, 0), (wide, fold), (wide, tall), (0, tall)]
        p.drawPolygon(QPolygonF([QPointF(x + a, y + b) for a, b in sheet]))
        p.drawPolyline(
            QPolygonF([QPointF(x + a, y + b) for a, b in ((wide - fold, 0), (wide - fold, fold), (wide, fold))])
        )
        p.setPen(QPen(QColor(look.INK), 1.2))
        s = 0.24
        for face, colour in (
            ([(-s, -s, 0.6), (s, -s, 0.6), (s, s, 0.6), (-s, s, 0.6)], "#E8E4DA"),
            ([(-s, s, 0), (s, s, 0), (s, s, 0.6), (-s, s, 0.6)], "#D8D3C6"),
            ([(s, -s, 0), (s, s, 0), (s, s, 0.6), (s, -s, 0.6)], "#C6C0B1"),
        ):
            p.setBrush(QColor(colour))
            p.drawPolygon(QPolygonF([at(*q) for q in face]))


class StartPage(QWidget):
    """``open_another`` opens a window on a folder, or on a start by its name (``start``); the page then closes."""

    def __init__(self, open_another: Callable[..., object]):
        super().__init__(objectName="root")
        self.open_another = open_another
        self.setWindowTitle("Stithy")
        self.setStyleSheet(f"QWidget#root {{ background: {look.SHEET}; }}")
        self.setAcceptDrops(True)
        self.resize(1280, 800)
        whole = QHBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.setSpacing(0)
        whole.addWidget(self._left())
        line = QWidget()
        line.setFixedWidth(1)
        line.setStyleSheet(f"background: {look.RULE};")
        whole.addWidget(line)
        whole.addWidget(self._right(), 1)
        QShortcut(QKeySequence("Ctrl+O"), self, self.choose)
        self._seen: SimpleQueue = SimpleQueue()
        self._left_to_see = len(self.recents)
        self._poll = QTimer(self, interval=40)
        self._poll.timeout.connect(self._take_seen)
        self._poll.start()
        folders = [x.found.folder for x in self.recents]
        Thread(target=lambda: [self._seen.put((f, look_at(f))) for f in folders], daemon=True).start()

    def _left(self) -> QWidget:
        left = QWidget()
        left.setFixedWidth(312)
        box = QVBoxLayout(left)
        box.setContentsMargins(12, 18, 12, 14)
        box.setSpacing(6)
        head = QHBoxLayout()
        words = QLabel("Recent")
        words.setStyleSheet(HEAD)
        head.addWidget(words)
        head.addStretch(1)
        head.addWidget(_quiet("with their worst margin"))
        box.addLayout(head)
        self.list = QVBoxLayout()
        self.list.setSpacing(2)
        inner = QWidget()
        inner.setLayout(self.list)
        self.list.setContentsMargins(0, 0, 0, 0)
        area = QScrollArea()
        area.setWidgetResizable(True)
        area.setFrameShape(QScrollArea.Shape.NoFrame)
        area.setStyleSheet(f"QScrollArea, QScrollArea > QWidget > QWidget {{ background: {look.SHEET}; }}")
        area.setWidget(inner)
        box.addWidget(area, 1)
        self.recents: list[RecentTile] = []
        self._fill_recents()
        self.open_button = QPushButton("Open a project   Ctrl+O")
        self.open_button.clicked.connect(lambda: self.choose())
        box.addWidget(self.open_button)
        hint = _quiet("or drop a project or a file of solids here")
        hint.setAlignment(Qt.AlignmentFlag.AlignHCenter)
        box.addWidget(hint)
        keys = _quiet("Enter opens   Del takes off this list" if self.recents else "")
        keys.setAlignment(Qt.AlignmentFlag.AlignHCenter)
        box.addWidget(keys)
        self.said = QLabel()
        self.said.setProperty("warn", True)
        self.said.setWordWrap(True)
        box.addWidget(self.said)
        return left

    def _fill_recents(self) -> None:
        while self.list.count():
            item = self.list.takeAt(0)
            if item is not None and item.widget() is not None:
                item.widget().deleteLater()
        self.recents = [RecentTile(x) for x in recent.recent()[:6]]
        for tile in self.recents:
            tile.pressed.connect(lambda folder: self._open(Path(folder)))
            tile.dropped.connect(self._forget)
            self.list.addWidget(tile)
        if not self.recents:
            self.list.addWidget(_quiet("Projects that you open or save are listed here."))
        self.list.addStretch(1)

    def _forget(self, folder: str) -> None:
        recent.forget(Path(folder))
        self._fill_recents()

    def _take_seen(self) -> None:
        """Show what has been found of recent projects, which are read beside the page."""
        while not self._seen.empty():
            folder, found = self._seen.get()
            self._left_to_see -= 1
            for tile in self.recents:
                if tile.found.folder == folder:
                    tile.take(found)
        if self._left_to_see <= 0:
            self._poll.stop()

    def _right(self) -> QWidget:
        right = QWidget()
        box = QVBoxLayout(right)
        box.setContentsMargins(28, 22, 28, 12)
        box.setSpacing(4)
        title = QLabel("Which layout keeps every part under its limit?")
        title.setStyleSheet("font-size: 26px; font-weight: 600;")
        box.addWidget(title)
        box.addWidget(
            _quiet(
                "Build or bring the solids, say what heats and what flows, solve heat and flow together, and weigh the "
                "layouts side by side.",
                14,
            )
        )
        box.addSpacing(14)
        box.addLayout(_heading("Start from", "sizes, powers and flows come filled in; change any of them"))
        self.tiles: dict[str, Tile] = {}
        rest = [("solids", "Solids from a file", "STEP, STL, OBJ, 3MF or PLY: openings and fluids are found")]
        rows = [(s.name, s.title, s.what) for s in starts.STARTS.values()]
        grid = QGridLayout()
        grid.setSpacing(12)
        for m, (name, words, what) in enumerate([*rows[:-1], *rest, rows[-1]]):
            drawing = DRAWINGS / f"{name}.png"
            tile = Tile(name, words, what, drawing if drawing.exists() else None, (142, 134))
            tile.pressed.connect(self.start)
            self.tiles[name] = tile
            grid.addWidget(tile, m // 6, m % 6)
        grid.setColumnStretch(6, 1)
        box.addLayout(grid)
        box.addSpacing(16)
        box.addLayout(
            _heading("Jobs of Tolva Head", "worked examples from one lighthouse; open one, change a number, run")
        )
        row = QHBoxLayout()
        row.setSpacing(12)
        for name in jobs.names():
            words, what = DECIDES.get(name, (name.replace("-", " ").capitalize(), ""))
            tile = Tile(name, words, what, DRAWINGS / f"job-{name}.png", (142, 196), note="job")
            tile.pressed.connect(self.open_job)
            self.tiles[name] = tile
            row.addWidget(tile)
        row.addStretch(1)
        box.addLayout(row)
        self.pager = QHBoxLayout()
        self.leaves: list[QPushButton] = []
        for m in range(-(-len(jobs.names()) // AT_ONCE)):
            leaf = QPushButton(str(m + 1), checkable=True)
            leaf.setFixedWidth(34)
            leaf.setToolTip("More jobs")
            leaf.clicked.connect(lambda _=False, m=m: self.turn_to(m))
            self.leaves.append(leaf)
            self.pager.addWidget(leaf)
        self.pager.addStretch(1)
        box.addLayout(self.pager)
        self.turn_to(0)
        box.addStretch(1)
        foot = QHBoxLayout()
        foot.addStretch(1)
        foot.addWidget(_quiet(f"Stithy {__version__}   {os.cpu_count()} cores"))
        box.addLayout(foot)
        return right

    def turn_to(self, leaf: int) -> None:
        """Show some of the jobs."""
        for m, name in enumerate(jobs.names()):
            self.tiles[name].setVisible(m // AT_ONCE == leaf)
        for m, button in enumerate(self.leaves):
            button.setChecked(m == leaf)

    def start(self, name: str) -> None:
        """Open a window on a model to start from; "solids": ask for a file of solids first."""
        if name == "solids":
            self.take_solids()
            return
        self._then(lambda: self.open_another(None, start=name))

    def take_solids(self, path: str = "") -> None:
        """Open an empty project and take a file of solids in."""
        if not path:
            kinds = f"Solids ({' '.join('*' + x for x in SOLIDS)})"
            path, _ = QFileDialog.getOpenFileName(self, "Import solids", str(Path.home()), kinds)
        if path:
            self._then(lambda: self.open_another(None, start="nothing", solids=path))

    def open_job(self, name: str) -> None:
        """Open the user's copy of a job."""
        self._then(lambda: self.open_another(jobs.copy(name)))

    def choose(self) -> None:
        """Choose a project folder and open it."""
        folder = QFileDialog.getExistingDirectory(self, "Open project folder", str(Path.home()))
        if folder:
            self._open(Path(folder))

    def _open(self, folder: Path) -> None:
        self._then(lambda: self.open_another(folder))

    def _then(self, act: Callable[[], object]) -> None:
        try:
            act()
        except (StithyError, OSError) as error:
            self.said.setText(str(error).splitlines()[0])
            return
        self.close()

    def dragEnterEvent(self, event):  # noqa: N802
        if event.mimeData().hasUrls():
            event.acceptProposedAction()

    def dropEvent(self, event):  # noqa: N802
        path = Path(event.mimeData().urls()[0].toLocalFile())
        if path.suffix.lower() in SOLIDS:
            self.take_solids(str(path))
        else:
            self._open(path)

    def closeEvent(self, event):  # noqa: N802
        self._poll.stop()
        event.accept()


def _quiet(text: str, size: int = 12) -> QLabel:
    out = QLabel(text)
    out.setStyleSheet(f"color: {look.INK2}; font-size: {size}px;")
    return out


def _heading(title: str, words: str) -> QHBoxLayout:
    row = QHBoxLayout()
    head = QLabel(title)
    head.setStyleSheet(HEAD)
    row.addWidget(head)
    row.addSpacing(12)
    row.addWidget(_quiet(words))
    row.addStretch(1)
    return row
