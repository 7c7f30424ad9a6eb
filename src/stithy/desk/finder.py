"""The command box: type to find any action, stage, layout, row or result."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QDialog, QLineEdit, QListWidget, QVBoxLayout

from . import look


class Finder(QDialog):
    """Everything by name; Enter does it."""

    def __init__(self, window):
        super().__init__(window, Qt.WindowType.Popup)
        self.window_ = window
        self.line = QLineEdit(placeholderText="An action, a part, a layout or a result")
        self.list = QListWidget()
        self.list.setStyleSheet(
            f"QListWidget {{ background: {look.SHEET}; border: 1px solid {look.RULE}; outline: 0; }}"
            f"QListWidget::item {{ padding: 3px 6px; }}"
            f"QListWidget::item:selected {{ background: {look.CHOSEN}; color: {look.INK}; }}"
        )
        box = QVBoxLayout(self)
        box.setContentsMargins(8, 8, 8, 8)
        box.addWidget(self.line)
        box.addWidget(self.list)
        self.entries = self._entries()
        self.line.textChanged.connect(self._fill)
        self.line.returnPressed.connect(self._do)
        self.list.itemActivated.connect(lambda *_: self._do())
        self.list.itemClicked.connect(lambda *_: self._do())
        self._fill("")

    def _entries(self):
        w, s = self.window_, self.window_.session
        out = [
            (f"{n}    {a.shortcut().toString()}".rstrip(), a.trigger)
            for n, a in w.actions_.items()
            if n != "Find anything"
        ]
        out += [(f"Layout: {x.name}", lambda n=x.name: s.choose_layout(n)) for x in s.document.layouts]
        summary = s.standing().summary or {"parts": {}}
        for row in s.document.rows_of(s.layout):
            part = summary["parts"].get(row.name)
            value = f"    {part['max'] - 273.15:.1f} °C" if part else ""
            out.append((f"{row.kind[0].upper()}{row.kind[1:]}: {row.name}{value}", lambda n=row.name: s.select((n,))))
        return out

    def _fill(self, text):
        words = text.lower().split()
        self.found = [e for e in self.entries if all(x in e[0].lower() for x in words)]
        self.list.clear()
        self.list.addItems([e[0] for e in self.found])
        self.list.setCurrentRow(0)

    def keyPressEvent(self, event):  # noqa: N802
        if event.key() in (Qt.Key.Key_Down, Qt.Key.Key_Up):
            step = 1 if event.key() == Qt.Key.Key_Down else -1
            self.list.setCurrentRow(max(0, min(self.list.count() - 1, self.list.currentRow() + step)))
        else:
            super().keyPressEvent(event)

    def _do(self):
        row = self.list.currentRow()
        self.close()
        if 0 <= row < len(self.found):
            self.found[row][1]()

    def open_at(self, frame):
        """Show over the bench, below the stages: the table stays in sight."""
        self.resize(440, 360)
        bench = self.window_.bench
        corner = bench.mapToGlobal(bench.rect().topLeft())
        self.move(max(corner.x() + (bench.width() - 440) // 2, frame.left() + 8), corner.y() + 12)
        self.show()
        self.line.setFocus()
