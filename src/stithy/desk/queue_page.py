"""The queue in Run: what is being solved, what waits and in which order, what is done."""

from __future__ import annotations

from PyQt6.QtCore import QSettings, Qt, QTimer
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QCheckBox,
    QHBoxLayout,
    QLabel,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QVBoxLayout,
)

from ..errors import StithyError
from ..solve import pace
from .page import Page
from .session import Session


class QueueList(QListWidget):
    """Layouts that wait: dragged into another order, or moved by Alt and the arrows; Delete takes one out."""

    def __init__(self, page: QueuePage):
        super().__init__()
        self.page = page
        self.setDragDropMode(QAbstractItemView.DragDropMode.InternalMove)
        self.setAccessibleName("layouts that wait")

    def names(self) -> list[str]:
        """The layouts in the order that is shown."""
        items = [self.item(m) for m in range(self.count())]
        return [str(x.data(Qt.ItemDataRole.UserRole)) for x in items if x is not None]

    def dropEvent(self, event):  # noqa: N802
        super().dropEvent(event)
        self.page.session.set_queue(self.names())

    def keyPressEvent(self, event):  # noqa: N802
        item = self.currentItem()
        name = str(item.data(Qt.ItemDataRole.UserRole)) if item is not None else ""
        way = {Qt.Key.Key_Up: -1, Qt.Key.Key_Down: 1}.get(event.key())
        if name and way and event.modifiers() & Qt.KeyboardModifier.AltModifier:
            self.page.session.move_in_queue(name, way)
            self.page.choose(name)
        elif name and event.key() == Qt.Key.Key_Delete:
            self.page.session.set_queue([n for n in self.page.session.queue if n != name])
        else:
            super().keyPressEvent(event)


class QueuePage(Page):
    """Buttons, a line about the run, and the list."""

    stage = "Run"

    def __init__(self, session: Session):
        super().__init__(session)
        self.said = QLabel(wordWrap=True)
        self.all = QPushButton("Run all that are out of date")
        self.all.setToolTip("One after the other, also while one is being solved (Ctrl+F5)")
        self.all.clicked.connect(lambda: self.window().run_all())
        self.hold = QPushButton("Pause")
        self.hold.clicked.connect(self._hold)
        self.two = QCheckBox("Two at once")
        self.two.setToolTip("Two layouts share the machine: quicker in all where each is small, at twice the memory")
        self.two.setChecked(QSettings("stithy", "window").value("at once", "1") == "2")
        session.at_once = 2 if self.two.isChecked() else 1
        self.two.toggled.connect(self._at_once)
        self.list = QueueList(self)
        self.list.setToolTip("Drag, or Alt+Up and Alt+Down; Delete takes one out")
        left = QVBoxLayout()
        left.addWidget(self.said)
        left.addWidget(self.all)
        held = QHBoxLayout()
        held.addWidget(self.hold, 1)
        held.addWidget(self.two)
        left.addLayout(held)
        left.addStretch(1)
        row = QHBoxLayout(self)
        row.setContentsMargins(12, 6, 12, 8)
        row.addLayout(left, 2)
        row.addWidget(self.list, 3)
        self._shown: tuple = ()
        self._tick = QTimer(self, interval=1000)
        self._tick.timeout.connect(self.rebuild)
        for event in ("run", "document", "results", "stage", "layout"):
            session.on(event, self.rebuild)

    def rebuild(self) -> None:
        """Show the queue as it is."""
        if not self.seen():
            return
        s = self.session
        running = s.run_state.layout if s.run is not None else ""
        left = s.run_state.history[-1].left if running and s.run_state.history else ""
        self.hold.setText("Go on" if s.paused else "Pause")
        self.hold.setEnabled(bool(s.queue))
        waits, seconds = len(s.queue), [0.0, 0.0]
        for name in s.queue:
            standing = s.peek(name)
            if standing.model is not None and not standing.problems:
                low, high = pace.foretold(standing.model, standing.size[1], s.folder)
                seconds = [seconds[0] + low, seconds[1] + high]
        words = [f"Solving “{running}”{', ' + left if left else ''}." if running else "Nothing is being solved."]
        for one in s.beside:
            left = one.state.history[-1].left if one.state.history else ""
            words.append(f"Beside it “{one.state.layout}”{', ' + left if left else ''}.")
        if waits:
            words.append(f"{waits} wait{'s' if waits == 1 else ''}, {pace.words(*seconds)} in all.")
            words += ["Paused: press Go on."] if s.paused else []
        else:
            words.append("No layout waits.")
        self.said.setText(" ".join(words))
        now = tuple(s.queue)
        if now != self._shown or self.list.count() != len(now):
            self._shown = now
            self.list.clear()
            for m, name in enumerate(now):
                item = QListWidgetItem(f"{m + 1}   {name}   waits")
                item.setData(Qt.ItemDataRole.UserRole, name)
                self.list.addItem(item)

    def choose(self, name: str) -> None:
        """Put the mark on a layout."""
        if name in self.list.names():
            self.list.setCurrentRow(self.list.names().index(name))

    def _at_once(self, on: bool) -> None:
        QSettings("stithy", "window").setValue("at once", "2" if on else "1")
        self.session.solve_at_once(2 if on else 1)

    def _hold(self) -> None:
        try:
            self.session.pause(not self.session.paused)
        except StithyError as error:
            self.said.setText(str(error))
