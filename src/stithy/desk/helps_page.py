"""What would help, in Weigh: for one limit of the shown layout, changes in the order of what they bring."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPen
from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QLabel, QPushButton, QScrollArea, QVBoxLayout, QWidget

from ..weigh import helping
from ..weigh.helping import Help
from . import look
from .page import Page
from .session import Session
from .study_work import HELPS

#: height of a bar with its words
ROW = 34


class Bars(QWidget):
    """A bar for each change, with a whisker for its band; grey where it is smaller than that."""

    def __init__(self):
        super().__init__()
        self.found: list[Help] = []
        self.limit = ""
        self.setAccessibleName("what would help")

    def put(self, found: list[Help], limit: str) -> None:
        """Show changes for a limit, what brings most first."""
        self.limit = limit
        self.found = sorted((h for h in found if limit in h.moves), key=lambda h: h.moves[limit])
        self.setMinimumHeight(ROW * len(self.found) + 6)
        self.update()

    def paintEvent(self, event):  # noqa: N802
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        p.fillRect(self.rect(), QColor(look.SHELF))
        most = max((abs(h.moves[self.limit]) + h.band[self.limit] for h in self.found), default=1.0) or 1.0
        wide = self.width() - 8.0
        for m, h in enumerate(self.found):
            y, move, band = m * ROW, h.moves[self.limit], h.band[self.limit]
            small = abs(move) <= band
            p.setFont(look.font(14, 400))
            p.setPen(QColor(look.INK2 if small else look.INK))
            p.drawText(QRectF(0, y, wide, 18), Qt.AlignmentFlag.AlignLeft, look.minus(f"{h.row}, {h.what}"))
            p.setFont(look.font(14, 600))
            told = look.minus(f"{move:+.2f} ± {band:.2f} K{'' if h.run else ', flow held'}")
            p.drawText(QRectF(0, y, wide, 18), Qt.AlignmentFlag.AlignRight, told)
            p.fillRect(QRectF(0, y + 20, wide, 6), QColor(look.HAIR))
            tone = look.RULE if small else look.SLATE if move < 0.0 else look.EMBER
            long = wide * abs(move) / most
            p.fillRect(QRectF(0, y + 20, long, 6), QColor(tone))
            a, b = wide * max(abs(move) - band, 0.0) / most, wide * (abs(move) + band) / most
            p.setPen(QPen(QColor(look.INK), 1.2))
            p.drawLine(QPointF(a, y + 23), QPointF(b, y + 23))
            for x in (a, b):
                p.drawLine(QPointF(x, y + 20), QPointF(x, y + 26))
        p.end()


class HelpsPage(Page):
    """Bars for one limit, and the button that works them out."""

    stage = "Weigh"

    def __init__(self, session: Session, _compare=None):
        super().__init__(session)
        self.limit = QComboBox()
        self.limit.setAccessibleName("limit")
        self.limit.activated.connect(lambda *_: self._put())
        self.ask = QPushButton("Work out what would help")
        self.ask.clicked.connect(self._begin)
        self.said = QLabel(wordWrap=True)
        self.said.setProperty("quiet", True)
        self.bars = Bars()
        area = QScrollArea()
        area.setWidget(self.bars)
        area.setWidgetResizable(True)
        area.setFrameShape(QScrollArea.Shape.NoFrame)
        side = QVBoxLayout()
        side.addWidget(QLabel("Kelvin off"))
        side.addWidget(self.limit)
        side.addWidget(self.ask)
        side.addWidget(self.said)
        side.addStretch(1)
        left = QWidget()
        left.setLayout(side)
        left.setFixedWidth(250)
        row = QHBoxLayout(self)
        row.setContentsMargins(12, 4, 12, 8)
        row.addWidget(left)
        row.addWidget(area, 1)
        self.found: list[Help] = []
        for event in ("stage", "layout", "results", "document", "studies"):
            session.on(event, self.rebuild)

    def rebuild(self) -> None:
        """What is known of the shown layout."""
        if not self.seen():
            return
        s = self.session
        standing = s.standing()
        solved = standing.state == "current" and s.folder is not None
        self.found = (helping.kept(s.folder, standing) or []) if solved else []
        names = list(self.found[0].moves) if self.found else []
        worst = next((m.bound.name for m in standing.margins if m.bound.name in names), "")
        now = self.limit.currentText()
        self.limit.clear()
        self.limit.addItems(names)
        self.limit.setCurrentText(now if now in names else worst)
        busy = s.work is not None
        self.ask.setVisible(not self.found)
        self.ask.setEnabled(solved and not busy and s.run is None)
        if busy and s.work.what == HELPS:
            words = s.told.words
        elif s.ended is not None and s.ended.failed:
            words = s.ended.words
        elif self.found:
            words = (
                "Loads, materials, contacts and films with the flow held; what moves the flow by a run. "
                "Grey: smaller than its band."
            )
        elif not solved:
            words = "Solve the shown layout first."
        else:
            words = (
                "Solves the energy equation once for each change, and runs what moves the flow: about a minute or two."
            )
        self.said.setText(look.minus(words))
        self._put()

    def _put(self) -> None:
        self.bars.put(self.found, self.limit.currentText())

    def _begin(self) -> None:
        window = self.window()
        window.pages["Studies"].begin(HELPS, self.session.layout)
        self.said.setText(window.pages["Studies"].said.text())
        self.rebuild()
