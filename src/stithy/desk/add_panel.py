"""What can be added in a stage: a drawing, a name and a line for each kind, by group; typing narrows it."""

from __future__ import annotations

from importlib import resources

from PyQt6.QtCore import QSize, Qt, pyqtSignal
from PyQt6.QtGui import QIcon, QPixmap
from PyQt6.QtWidgets import QFrame, QGridLayout, QLabel, QLineEdit, QPushButton, QScrollArea, QVBoxLayout, QWidget

from ..project.kind import KINDS
from . import look

#: cards in a row, their size, and that of a drawing
ACROSS, CARD, DRAWING = 3, QSize(268, 62), QSize(70, 50)


def line_of(kind: str) -> str:
    """What a kind is, in a short line."""
    what = KINDS[kind].what.split(". ")[0].split(": ")[0].split("; ")[0].rstrip(".")
    return what if len(what) < 74 else what[:72].rsplit(" ", 1)[0] + " …"


def drawing_of(kind: str) -> QPixmap | None:
    """The drawing of a kind; None where there is none."""
    place = resources.files("stithy") / "data/kinds" / f"{kind.replace(' ', '-')}.png"
    pix = QPixmap()
    return pix if place.is_file() and pix.loadFromData(place.read_bytes()) else None


class AddPanel(QFrame):
    """Cards under their groups; Enter takes the first, arrows go on, Esc leaves."""

    chosen = pyqtSignal(str)

    def __init__(self, parent: QWidget, kinds: dict[str, list[str]]):
        super().__init__(parent, Qt.WindowType.Popup)
        self.kinds = kinds
        self.setObjectName("adding")
        self.setStyleSheet(f"#adding {{ background: {look.SHEET}; border: 1px solid {look.RULE}; }}")
        self.find = QLineEdit(placeholderText="What shall be added? Type to narrow it")
        self.find.textChanged.connect(self.fill)
        self.find.returnPressed.connect(self._first)
        self.area = QScrollArea()
        self.area.setWidgetResizable(True)
        self.area.setFrameShape(QFrame.Shape.NoFrame)
        box = QVBoxLayout(self)
        box.setContentsMargins(10, 10, 10, 10)
        box.addWidget(self.find)
        box.addWidget(self.area, 1)
        self.cards: dict[str, QPushButton] = {}
        self.fill("")

    def fill(self, text: str) -> None:
        """Cards of the kinds whose name, group or words hold all that is typed."""
        words, self.cards = text.lower().split(), {}
        inner = QWidget(styleSheet=f"background: {look.SHEET};")
        grid = QGridLayout(inner)
        grid.setContentsMargins(0, 4, 0, 4)
        grid.setHorizontalSpacing(8)
        grid.setVerticalSpacing(6)
        at = 0
        for group, kinds in self.kinds.items():
            found = [k for k in kinds if all(w in f"{group} {k} {KINDS[k].what}".lower() for w in words)]
            if not found:
                continue
            head = QLabel(group)
            head.setProperty("quiet", True)
            grid.addWidget(head, at, 0, 1, ACROSS)
            for m, kind in enumerate(found):
                self.cards[kind] = card = self._card(kind)
                grid.addWidget(card, at + 1 + m // ACROSS, m % ACROSS)
            at += 2 + (len(found) - 1) // ACROSS
        if not self.cards:
            grid.addWidget(QLabel("Nothing of that name belongs in this stage."), 0, 0)
        grid.setRowStretch(at + 1, 1)
        self.area.setWidget(inner)

    def _card(self, kind: str) -> QPushButton:
        card = QPushButton()
        card.setFixedSize(CARD)
        card.setAccessibleName(kind)
        card.setToolTip(KINDS[kind].what)
        card.setStyleSheet("QPushButton { text-align: left; padding: 4px; }")
        words = QLabel(
            f"<b>{kind[0].upper()}{kind[1:]}</b><br><span style='color:{look.INK2}'>{line_of(kind)}</span>", card
        )
        words.setWordWrap(True)
        words.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
        words.setStyleSheet("background: transparent; font-size: 12px;")
        pix = drawing_of(kind)
        left = 10
        if pix is not None:
            card.setIcon(QIcon(pix))
            card.setIconSize(DRAWING)
            left = DRAWING.width() + 14
        words.setGeometry(left, 2, CARD.width() - left - 6, CARD.height() - 4)
        card.clicked.connect(lambda _=False, k=kind: self.take(k))
        return card

    def take(self, kind: str) -> None:
        """Add one of a kind."""
        self.close()
        self.chosen.emit(kind)

    def _first(self) -> None:
        text = self.find.text().strip().lower()
        best = sorted(self.cards, key=lambda k: (not k.startswith(text), text not in k))  # names before descriptions
        if best:
            self.take(best[0])

    def open_beside(self, button: QWidget) -> None:
        """Show below a button, within the window."""
        window = button.window()
        self.resize(ACROSS * CARD.width() + 2 * 8 + 44, min(560, window.height() - 120))
        corner = button.mapToGlobal(button.rect().bottomLeft())
        left, right = window.frameGeometry().left() + 8, window.frameGeometry().right() - self.width() - 8
        self.move(min(max(corner.x() - 200, left), max(right, left)), corner.y() + 4)
        self.show()
        self.find.setFocus()
