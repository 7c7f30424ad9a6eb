"""The field beside what is dragged: it shows the length, and takes a typed one."""

from __future__ import annotations

from PyQt6.QtCore import QEvent, Qt, pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QLineEdit, QWidget

from ..read import shown
from . import look


class LengthField(QWidget):
    """Stands beside a handle; ``typing`` once somebody types in it. Enter settles, Esc gives up."""

    settled = pyqtSignal(str)
    given_up = pyqtSignal()

    def __init__(self, view: QWidget):
        super().__init__(view, Qt.WindowType.ToolTip | Qt.WindowType.FramelessWindowHint)
        self.setAttribute(Qt.WidgetAttribute.WA_ShowWithoutActivating)
        self.view, self.typing = view, False
        self.what, self.unit = QLabel(), QLabel()
        self.line = QLineEdit()
        self.line.setFixedWidth(84)
        self.line.setAccessibleName("length")
        self.setStyleSheet(f"QWidget {{ background: {look.SHEET}; }} QLineEdit {{ border: 1px solid {look.INK}; }}")
        row = QHBoxLayout(self)
        row.setContentsMargins(6, 3, 6, 3)
        row.setSpacing(5)
        for widget in (self.what, self.line, self.unit):
            row.addWidget(widget)
        self.line.textEdited.connect(self._edited)
        view.installEventFilter(self)
        self.hide()

    def begin(self, text: str, at) -> None:
        """Show at a place of the view (pixels from its lower left)."""
        self.typing = False
        self.unit.setText(shown.unit("length"))
        self.follow("", text, at)
        self.show()

    def follow(self, what: str, text: str, at) -> None:
        """Go along with what is dragged."""
        self.what.setText(what)
        if not self.typing:
            self.line.setText(look.minus(text))
            self.line.selectAll()
        self.adjustSize()
        ratio = self.view.devicePixelRatioF()
        x = min(max(int(at[0] / ratio) + 18, 4), max(self.view.width() - self.width() - 4, 4))
        y = min(max(int(self.view.height() - at[1] / ratio) + 14, 4), max(self.view.height() - self.height() - 4, 4))
        self.move(
            self.view.mapToGlobal(self.view.rect().topLeft()).x() + x,
            self.view.mapToGlobal(self.view.rect().topLeft()).y() + y,
        )

    def wait(self) -> None:
        """What was dragged is done: a typed length would take its place."""
        self.typing = False

    def _edited(self) -> None:
        self.typing = True

    def eventFilter(self, watched, event):  # noqa: N802
        """Keys pressed over the bench while the field is there are typed into it."""
        if self.isVisible() and event.type() == QEvent.Type.ShortcutOverride:
            if not event.modifiers() & ~Qt.KeyboardModifier.ShiftModifier:
                event.accept()  # letters of a unit are no shortcuts now
                return True
        elif self.isVisible() and event.type() == QEvent.Type.KeyPress:
            return self.key(event)
        return super().eventFilter(watched, event)

    def key(self, event) -> bool:
        """Type a key; whether it was one for the field."""
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.settled.emit(self.line.text().replace("−", "-"))
            return True
        if event.key() == Qt.Key.Key_Escape:
            self.given_up.emit()
            return True
        text = event.text()
        if event.key() in (Qt.Key.Key_Backspace, Qt.Key.Key_Delete, Qt.Key.Key_Left, Qt.Key.Key_Right) or (
            text and (text.isdigit() or text in "-+.,; " or (self.typing and text.isalpha()))
        ):
            self.line.keyPressEvent(event)
            return True
        return False
