"""The shelf: a card per layout; live charts in Run; the full comparison in Weigh."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QPainter, QPen, QPolygonF
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QMenu, QPushButton, QScrollArea, QVBoxLayout, QWidget

from ..model.mass import mass
from ..weigh.compare import Standing
from ..weigh.limits import CLOSE, FAILS, MEETS
from . import look
from .margins import draw_mark
from .tables import empty

_WAY = np.array([[0.80, -0.26], [0.46, 0.30], [0.0, -0.86]])  # oblique picture of x, y, z


def picture(p: QPainter, rect: QRectF, standing: Standing) -> None:
    """A small oblique drawing of a layout; solids coloured by their hottest temperature when there is a result."""
    model = standing.model
    if model is None or not model.enclosures:
        return
    boxes = [(s.bounds if not s.role.endswith("sink") else None, s) for s in model.solids]
    corners = np.array(
        [[x, y, z] for s in model.enclosures for x in s.outer[0] for y in s.outer[1] for z in s.outer[2]]
    )
    flat = corners @ _WAY
    low, high = flat.min(0), flat.max(0)
    scale = min(rect.width() / (high[0] - low[0]), rect.height() / (high[1] - low[1]))
    shift = np.array([rect.center().x(), rect.center().y()]) - scale * 0.5 * (low + high)

    def at(x, y, z):
        u, v = np.array([x, y, z]) @ _WAY * scale + shift
        return QPointF(u, v)

    table = look.scale_table("temperature")
    parts = (standing.summary or {}).get("parts", {})
    hottest = max([v["max"] for v in parts.values()], default=0.0)

    def colour(solid):
        t = parts.get(solid.name)
        if not t or hottest <= model.ambient:
            return QColor(solid.tone)
        share = (t["max"] - model.ambient) / (hottest - model.ambient)
        return QColor(*map(int, table[int(np.clip(share, 0, 1) * 220)][:3]))

    for space in model.enclosures:
        p.setPen(QPen(QColor(look.INK2), 0.8))
        _edges(p, at, space.outer)
    todo = []
    for bounds, solid in boxes:
        for b in [bounds] if bounds else solid.boxes:
            todo.append((b[2][0], -b[1][0], b[0][0], b, solid))
    for *_order, b, solid in sorted(todo, key=lambda t: t[:3]):
        _box(p, at, b, colour(solid))


def _edges(p, at, b):
    (x0, x1), (y0, y1), (z0, z1) = b
    for z in (z0, z1):
        p.drawPolygon(QPolygonF([at(x0, y0, z), at(x1, y0, z), at(x1, y1, z), at(x0, y1, z)]))
    for x in (x0, x1):
        for y in (y0, y1):
            p.drawLine(at(x, y, z0), at(x, y, z1))


def _box(p, at, b, colour):
    (x0, x1), (y0, y1), (z0, z1) = b
    faces = (
        ([(x0, y0, z1), (x1, y0, z1), (x1, y1, z1), (x0, y1, z1)], 108),
        ([(x0, y0, z0), (x1, y0, z0), (x1, y0, z1), (x0, y0, z1)], 96),
        ([(x0, y0, z0), (x0, y1, z0), (x0, y1, z1), (x0, y0, z1)], 84),
    )
    p.setPen(QPen(QColor(look.INK), 0.4))
    for corners, light in faces:
        p.setBrush(colour.lighter(light) if light > 100 else colour.darker(200 - light))
        p.drawPolygon(QPolygonF([at(*c) for c in corners]))
    p.setBrush(Qt.BrushStyle.NoBrush)


class Card(QWidget):
    """One layout."""

    chosen = pyqtSignal(str)
    asked = pyqtSignal(str, object)

    def __init__(self, standing: Standing, shown: bool, compared: bool, foretold: dict | None = None, waits: str = ""):
        super().__init__()
        self.waits = waits
        self.foretold = foretold or {}
        self.standing, self.shown, self.compared = standing, shown, compared
        self.setFixedSize(222, 112)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setAccessibleName(f"layout {standing.layout}")
        self.setToolTip("Click to show it; right-click to copy, rename, compare or delete it.")

    def mousePressEvent(self, event):  # noqa: N802
        if event.button() == Qt.MouseButton.LeftButton:
            self.chosen.emit(self.standing.layout)

    def keyPressEvent(self, event):  # noqa: N802
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Space):
            self.chosen.emit(self.standing.layout)

    def contextMenuEvent(self, event):  # noqa: N802
        self.asked.emit(self.standing.layout, event.globalPos())

    def paintEvent(self, event):  # noqa: N802
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        s = self.standing
        pen = QPen(
            QColor(look.INK if self.shown else look.TEAL if self.compared else look.RULE),
            2 if self.shown or self.compared else 1,
        )
        p.setPen(pen)
        p.setBrush(QColor(look.SHEET))
        p.drawRoundedRect(QRectF(1, 1, self.width() - 2, self.height() - 2), 4, 4)
        p.fillRect(QRectF(8, 8, 78, 66), QColor(look.PAPER))
        p.setBrush(Qt.BrushStyle.NoBrush)
        picture(p, QRectF(10, 12, 74, 58), s)
        x, w = 93, self.width() - 100
        p.setPen(QColor(look.INK))
        p.setFont(look.font(13, 600))
        p.drawText(
            QRectF(x, 7, w, 18),
            Qt.AlignmentFlag.AlignLeft,
            p.fontMetrics().elidedText(s.layout, Qt.TextElideMode.ElideRight, w),
        )
        y = 26
        for words in self._lines():
            left = x
            for text, strong, over in words:
                p.setFont(look.font(12, 600 if strong else 400))
                p.setPen(QColor(look.EMBER if over else look.INK if strong else look.INK2))
                p.drawText(QPointF(left, y + 11), text)
                left += p.fontMetrics().horizontalAdvance(text) + 4
            y += 16
        verdict = {MEETS: "meets all limits", FAILS: "fails a limit"}.get(s.verdict, s.verdict)
        state = s.says if s.state != "missing" else "estimate only" if self.foretold else "no result yet"
        state = self.waits or state
        p.setFont(look.font(12, 500))
        p.setPen(QColor(look.EMBER if s.verdict == FAILS or s.state == "faulty" else look.INK))
        if s.verdict:
            p.setPen(QPen(p.pen().color(), 1.4))
            draw_mark(p, s.verdict, 9, 91)
        p.drawText(QRectF(22 if s.verdict else 8, 86, 110, 18), Qt.AlignmentFlag.AlignLeft, verdict)
        p.setPen(QColor(look.EMBER if s.state in ("out of date", "faulty") else look.INK2))
        p.setFont(look.font(12))
        p.drawText(QRectF(x, 86, w, 18), Qt.AlignmentFlag.AlignRight, state)
        p.end()

    def _lines(self):
        s = self.standing
        worst = s.worst
        if s.state == "faulty":
            return [[(f"{len(s.problems)} to settle", True, True)]]
        if worst is None and self.foretold and s.summary is None:
            return self._foretold_lines()
        if worst is None:
            return [[("no limits to judge it by" if s.summary else "press Run to solve it", False, False)]]
        band = [(worst.band_words().strip(), False, False)] if worst.band is not None else []
        lines = [
            [("worst", False, False), (look.minus(worst.margin_text("")), True, worst.verdict == FAILS), *band],
            [(f"at {worst.bound.name}", False, False)],
        ]
        drop = s.pressure_drop
        flow = (
            [("drop", False, False), (f"{drop:.1f} Pa", True, False)]
            if drop is not None
            else [("no fan", False, False)]
        )
        if s.fan_draw:
            flow += [("fan", False, False), (f"{s.fan_draw:.2f} W", True, False)]
        weight = f"{mass(s.model) * 1e3:.0f} g"
        return [*lines, flow, [("mass", False, False), (weight, True, False)]][:4]

    def _foretold_lines(self):
        """What the estimate says of the limit that is nearest."""
        near = []
        for m in self.standing.margins:
            if m.bound.name in self.foretold and not m.bound.least:
                value, band = self.foretold[m.bound.name]
                guess = replace(m, value=value, band=band)
                near.append((-guess.share, guess.bound.name, guess))
        if not near:
            return [[("press Run to solve it", False, False)]]
        m = min(near, key=lambda x: x[:2])[2]
        over = m.verdict == FAILS
        words = {CLOSE: "too close to call", FAILS: "probably too hot", MEETS: "probably meets all"}[m.verdict]
        return [
            [
                ("worst △", False, False),
                (look.minus(m.margin_text("")), True, over),
                (m.band_words().strip(), False, False),
            ],
            [(f"at {m.bound.name}", False, False)],
            [(words, False, over)],
            [("mass", False, False), (f"{mass(self.standing.model) * 1e3:.0f} g", True, False)],
        ]


class Cards(QWidget):
    """The row of cards with "copy as new layout" at its end."""

    copy = pyqtSignal(str)
    rename = pyqtSignal(str)
    delete = pyqtSignal(str)
    compare = pyqtSignal(str)
    more = pyqtSignal(str)
    noted = pyqtSignal(str)
    archived = pyqtSignal(str, bool)

    def __init__(self, session):
        super().__init__()
        self.session = session
        self.row = QHBoxLayout()
        self.row.setContentsMargins(12, 8, 12, 8)
        self.row.setSpacing(8)
        inner = QWidget()
        inner.setLayout(self.row)
        inner.setStyleSheet(f"background: {look.SHELF};")
        scroll = QScrollArea()
        scroll.setWidget(inner)
        scroll.setWidgetResizable(True)
        scroll.setFrameShape(scroll.Shape.NoFrame)
        scroll.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.addWidget(scroll)
        self.scroll = scroll
        #: whether archived layouts are shown, too
        self.all = False
        for event in ("document", "layout", "results", "standings", "estimates"):
            session.on(event, self.rebuild)
        session.on("run", self._follow)
        self.cards: list[Card] = []
        self._queue: tuple = ()
        self.rebuild()

    def _follow(self) -> None:
        """Which layout is being solved, and which wait."""
        s = self.session
        now = tuple(s.solved_now()), tuple(s.queue)
        if now != self._queue:
            self._queue = now
            self.rebuild()

    def rebuild(self):
        """Show the layouts anew."""
        empty(self.row)
        self.cards = []
        hidden = [x.name for x in self.session.document.layouts if x.archived]
        for layout in self.session.document.layouts:
            if layout.archived and not self.all and layout.name != self.session.layout:
                continue
            standing = self.session.peek(layout.name)
            card = Card(
                standing,
                layout.name == self.session.layout,
                layout.name == self.session.compared,
                self.session.foretelling.values(standing) if standing.summary is None else {},
                self._waits(layout.name),
            )
            told = [
                layout.note,
                f"Copied from “{layout.of}”." if layout.of else "",
                "Archived." if layout.archived else "",
            ]
            card.setToolTip("\n".join(x for x in (*told, card.toolTip()) if x))
            card.chosen.connect(self.session.choose_layout)
            card.asked.connect(self._menu)
            self.cards.append(card)
            self.row.addWidget(card)
        new = QPushButton("copy as\nnew layout")
        new.setFixedSize(86, 112)
        new.setStyleSheet(f"border: 1px dashed {look.RULE}; color: {look.INK2}; background: transparent;")
        new.setToolTip("Copy the shown layout under a new name (Ctrl+L)")
        new.clicked.connect(lambda: self.copy.emit(self.session.layout))
        self.new = new
        self.row.addWidget(new)
        if hidden:
            out = QPushButton(f"{len(hidden)} archived,\n{'shown' if self.all else 'out of sight'}")
            out.setFixedSize(100, 112)
            out.setStyleSheet(f"border: 0; color: {look.INK2}; background: transparent;")
            out.setToolTip("Show the archived layouts, or put them out of sight again")
            out.clicked.connect(self._show_archived)
            self.row.addWidget(out)
        self.row.addStretch(1)

    def _show_archived(self) -> None:
        self.all = not self.all
        self.rebuild()

    def _waits(self, layout: str) -> str:
        """Whether a layout is being solved, or waits for it."""
        session = self.session
        if layout in session.solved_now():
            return "solving"
        return f"waits, {session.queue.index(layout) + 1}" if layout in session.queue else ""

    def _menu(self, layout, at):
        menu = QMenu(self)
        menu.addAction("Copy as new layout", lambda: self.copy.emit(layout))
        menu.addAction("Compare with the shown one", lambda: self.compare.emit(layout)).setEnabled(
            layout != self.session.layout
        )
        menu.addAction("Put beside as well", lambda: self.more.emit(layout)).setEnabled(layout != self.session.layout)
        menu.addAction("Rename", lambda: self.rename.emit(layout))
        menu.addAction("Note and tags", lambda: self.noted.emit(layout))
        gone = next(x.archived for x in self.session.document.layouts if x.name == layout)
        menu.addAction("Bring back" if gone else "Archive", lambda: self.archived.emit(layout, not gone))
        menu.addSeparator()
        menu.addAction("Delete", lambda: self.delete.emit(layout))
        menu.exec(at)


def heading(text: str) -> QLabel:
    """A small quiet heading."""
    label = QLabel(text)
    label.setProperty("quiet", True)
    return label
