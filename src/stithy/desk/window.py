"""The window: top edge, ledger, bench, margins and shelf, and the actions that tie them together."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import QByteArray, QSettings, Qt, QTimer
from PyQt6.QtGui import QKeySequence
from PyQt6.QtWidgets import (
    QHBoxLayout,
    QLabel,
    QMainWindow,
    QPushButton,
    QSizePolicy,
    QSplitter,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from ..errors import StithyError
from ..project import edits
from . import look
from .bench import Bench
from .finder import Finder
from .first_bar import FirstBar
from .importing import Importing
from .ledger import Ledger
from .margins import Margins
from .panels import PANELS
from .picture_actions import PictureActions
from .project_actions import ProjectActions
from .session import STAGES, Session
from .shelf import Cards
from .weighing import Weighing
from .window_actions import SIDE_KEYS, actions_of, project_menu


class Window(ProjectActions, PictureActions, Weighing, QMainWindow):
    """One project in one window."""

    def __init__(self, session: Session, open_another: Callable[[Path | None], object]):
        super().__init__()
        self.session, self.open_another = session, open_another
        self.ledger, self.bench, self.margins = Ledger(session), Bench(session), Margins(session)
        self.cards = Cards(session)
        self.pages = {panel.title: panel.make(session, self.compare) for panel in PANELS}
        self.second: Bench | None = None
        #: benches beside those two: other layouts, or the difference
        self.others: list[Bench] = []
        self._weighing, self._side_by_side = False, 0
        self.importing = Importing(self)
        self.actions_ = actions_of(self)
        self._lay_out()
        self._connect()
        self.is_shut = False
        self._poll = QTimer(self, interval=120)
        self._poll.timeout.connect(session.poll_run)
        self._looking = QTimer(self, interval=100)
        self._looking.timeout.connect(self._take_standings)
        self._arranging = QTimer(self, singleShot=True, interval=25)
        self._arranging.timeout.connect(self._arrange)
        self._autosave = QTimer(self, interval=5000)
        self._autosave.timeout.connect(self.keep)
        self._autosave.start()
        session.foretelling.on = QSettings("stithy", "window").value("estimates", "on") != "off"
        self._asking = QTimer(self, singleShot=True, interval=150)
        self._asking.timeout.connect(session.foretelling.ask)
        self._foretold = QTimer(self, interval=100)
        self._foretold.timeout.connect(self._take_estimates)
        self._foretold.start()
        self._restore()
        if session.first:
            self.first = FirstBar(session, self.ledger.edit_cell)
            self.bench.show_above(self.first)
        self._stage_changed()
        QTimer.singleShot(500, session.fetch_result)
        QTimer.singleShot(800, self._ask_estimates)

    def _lay_out(self):
        root = QWidget(objectName="root")
        whole = QVBoxLayout(root)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.setSpacing(0)
        whole.addWidget(self._top())
        whole.addWidget(_rule())
        self.benches = QSplitter(Qt.Orientation.Horizontal)
        self.benches.addWidget(self.bench)
        self.rail = QPushButton("‹")
        self.rail.setFixedWidth(20)
        self.rail.setSizePolicy(QSizePolicy.Policy.Fixed, QSizePolicy.Policy.Expanding)
        self.rail.setStyleSheet(f"border: 0; padding: 0; color: {look.INK2};")
        self.rail.setToolTip("Fold the ledger away, or unfold it")
        self.rail.clicked.connect(lambda: self.fold_ledger(self.ledger.isVisible()))
        self.rail.hide()
        self.middle = QSplitter(Qt.Orientation.Horizontal)
        self.middle.setHandleWidth(1)
        for widget in (self.ledger, self.benches, self.margins):
            self.middle.addWidget(widget)
        self.middle.setStretchFactor(1, 1)
        self.middle.setSizes([436, 624, 220])
        self.ledger.setMinimumWidth(300)
        self.margins.setMinimumWidth(180)
        self.shelf = QStackedWidget(objectName="shelf")
        for widget in (self.cards, *self.pages.values()):
            self.shelf.addWidget(widget)
        self.tabs = QWidget(objectName="shelf")
        row = QHBoxLayout(self.tabs)
        row.setContentsMargins(12, 4, 12, 0)
        self.tab_cards = QPushButton("Layouts", checkable=True)
        self.tabs_ = {panel.title: QPushButton(panel.title, checkable=True) for panel in PANELS}
        for title, tab in (("", self.tab_cards), *self.tabs_.items()):
            tab.setStyleSheet("padding: 1px 10px; font-size: 12px;")
            tab.clicked.connect(lambda _, t=title: self.show_page(t))
            row.addWidget(tab)
        row.addStretch(1)
        self.status = QLabel()
        self.status.setProperty("quiet", True)
        row.addWidget(self.status)
        lower = QWidget(objectName="shelf")
        box = QVBoxLayout(lower)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(0)
        box.addWidget(self.tabs)
        box.addWidget(self.shelf, 1)
        self.lower = lower
        beside = QHBoxLayout()
        beside.setSpacing(0)
        beside.addWidget(self.rail)
        beside.addWidget(self.middle, 1)
        whole.addLayout(beside, 1)
        whole.addWidget(_rule())
        whole.addWidget(lower)
        self.setCentralWidget(root)

    def _top(self) -> QWidget:
        top = QWidget()
        top.setFixedHeight(44)
        row = QHBoxLayout(top)
        row.setContentsMargins(14, 0, 14, 0)
        row.setSpacing(6)
        self.title = QPushButton()
        self.title.setStyleSheet("border: 0; font-weight: 600; text-align: left; padding: 0;")
        self.title.setToolTip("Project menu: open, save, export")
        self.title.clicked.connect(self._project_menu)
        row.addWidget(self.title)
        row.addStretch(1)
        self.stage_buttons = {}
        for stage in STAGES:
            b = QPushButton(stage, checkable=True)
            b.setProperty("stage", True)
            b.clicked.connect(lambda *_, s=stage: self.session.choose_stage(s))
            self.stage_buttons[stage] = b
            row.addWidget(b)
        row.addStretch(1)
        find = QPushButton("Find anything   Ctrl+K")
        find.clicked.connect(self.find)
        row.addWidget(find)
        self.run_button = QPushButton("Run")
        self.run_button.setProperty("primary", True)
        self.run_button.clicked.connect(lambda: self.session.stop_run() if self.session.run else self.run())
        row.addWidget(self.run_button)
        return top

    def _project_menu(self):
        project_menu(self).exec(self.title.mapToGlobal(self.title.rect().bottomLeft()))

    def _connect(self):
        s = self.session
        s.on("stage", self._stage_changed)
        for event in ("document", "layout", "saved", "results", "selection"):
            s.on(event, self.bench.refresh)
        for event in ("document", "layout", "saved", "results"):
            s.on(event, self._marks)
        s.on("document", self._second_refresh)
        s.on("results", self._second_refresh)
        s.on("layout", self._second_refresh)
        s.on("layout", s.fetch_result)
        s.on("run", self._run_changed)
        s.on("standings", self._second_refresh)
        s.on("sight", self.bench.refresh)
        s.on("sight", self._second_refresh)
        s.on("trial", self._tried)
        s.on("point", self.bench.show_point)
        for event in ("document", "layout", "results"):
            s.on(event, lambda: self._looking.start() if s.looking else None)
        for event in ("document", "layout", "results", "standings"):
            s.on(event, self._ask_estimates)
        self.bench.picked.connect(lambda n: s.select((n,)) if n else None)
        self.bench.refused.connect(self.ledger.refuse)
        self.bench.asked.connect(self._bench_menu)
        self.bench.probed.connect(lambda place, text: self.status.setText(text))
        self.margins.fly.connect(self._fly)
        self.cards.copy.connect(self.copy_layout)
        self.cards.rename.connect(self.rename_layout)
        self.cards.delete.connect(self.delete_layout)
        self.cards.compare.connect(self.compare)
        self.cards.more.connect(self.compare_more)
        self.cards.noted.connect(self.note_layout)
        self.cards.archived.connect(lambda n, on: self._try(edits.archive_layout(n, on)))

    def _bench_menu(self, at):
        """What can be done with what is under the pointer, and with the look."""
        menu = self.ledger.row_menu()
        menu.addSeparator()
        look_at = menu.addMenu("Look at")
        for side, key in SIDE_KEYS.items():
            look_at.addAction(f"the {side} side", QKeySequence(key), lambda s=side: self.bench.look_at_side(s))
        menu.addAction("Whole model in view", QKeySequence("Home"), self.bench.reset_camera)
        menu.exec(at)

    def _tried(self):
        """Something is dragged: only what hangs on it is drawn anew."""
        names = {row for row, _ in self.session.picture.tried}
        for bench in (b for b in (self.bench, self.second, *self.others) if b is not None and b.isVisible()):
            bench.redraw(names) if names else bench.refresh()

    def show_page(self, title: str):
        """Show a page of the shelf; "" for the layouts' cards."""
        page = self.pages.get(title, self.cards)
        self.shelf.setCurrentWidget(page)
        if self.session.stage != "Weigh":
            self.lower.setFixedHeight(290 if page is self.pages["Library"] else 190)
        self.tab_cards.setChecked(page is self.cards)
        for name, tab in self.tabs_.items():
            tab.setChecked(self.pages[name] is page)

    def _stage_changed(self):
        stage = self.session.stage
        for name, button in self.stage_buttons.items():
            button.setChecked(name == stage)
        here = [panel for panel in PANELS if panel.stage == stage]
        for panel in PANELS:
            self.tabs_[panel.title].setVisible(panel in here)
        self.tab_cards.setVisible(bool(here))
        self._marks()
        self._arranging.start()

    def _arrange(self):
        """Give the stage's shelf and benches their room: in a moment of its own, for everything is drawn anew."""
        stage = self.session.stage
        self.bench.hold()
        self.lower.setFixedHeight(290 if stage == "Weigh" else 190)
        self.show_page(next((p.title for p in PANELS if p.stage == stage and p.first), ""))
        if (stage == "Weigh") != self._weighing:
            self._weighing, self._side_by_side = stage == "Weigh", 0
            self.rail.setVisible(self._weighing)
            self.fold_ledger(False)
            whole = sum(self.middle.sizes())
            left = 300 if self._weighing else 436
            self.middle.setSizes([left, whole - left - 220, 220])
            self.bench._first = True  # the view's shape changes, so look at the whole model anew
        self._second_bench(stage == "Weigh")
        self.bench.refresh()

    def _marks(self):
        problems = self.session.problems()
        for stage, button in self.stage_buttons.items():
            count = sum(1 for p in problems if p.about == stage.lower())
            button.setText(stage + (f"  {count}" if count else ""))
            button.setToolTip(
                "\n".join(str(p) for p in problems if p.about == stage.lower())
                or f"{stage}: nothing missing (Ctrl+{STAGES.index(stage) + 1})"
            )
        dirty = " •" if self.session.history.dirty else ""
        self.title.setText(f"{self.session.document.name}{dirty}")
        self.setWindowTitle(f"{self.session.document.name}{dirty}  –  Stithy")
        standing = self.session.standing()
        if problems:
            self.status.setText(f"{len(problems)} to settle in “{self.session.layout}”")
        elif standing.model is not None and self.session.stage in ("Shape", "Load", "Grid", "Run"):
            shape, cells, memory = standing.size
            self.status.setText(
                f"{self.session.layout}: {shape[0]} × {shape[1]} × {shape[2]} = {cells / 1e3:.0f} k cells, "
                f"about {memory / 1e6:.0f} MB"
            )
        else:
            self.status.setText("Click on a section or a part to read its values" if standing.summary else "")
        self.tabs.setVisible(True)
        self._run_button()

    def _run_button(self):
        running = self.session.run is not None
        self.run_button.setText("Stop" if running else "Run")
        self.run_button.setToolTip(
            "Stop and keep what there is (Shift+F5)" if running else "Solve the shown layout (F5)"
        )
        self.run_button.setEnabled(running or not self.session.problems())

    def _run_changed(self):
        if self.is_shut:
            return
        state, running = self.session.run_state, self.session.run is not None
        self._run_button()
        for bench in filter(None, (self.bench, self.second, *self.others)):
            bench.smoothing.hold(running)
        if running and state.history:
            left = state.history[-1].left
            self.run_button.setText(f"Stop  {left}" if left else "Stop")
        self.tell_queue()
        if running and not self._poll.isActive():
            self._poll.start()  # the queue has begun one by itself
        if state.kept:
            self.ledger.refuse(state.kept)
            state.kept = ""
        if not running:
            self._poll.stop()
            if state.over in ("failed", "refused"):
                self.ledger.refuse(state.text)
        snapshot = state.snapshot
        if snapshot is not None and snapshot is not getattr(self, "_shown_snapshot", None):
            self._shown_snapshot = snapshot
            if self.session.stage in ("Run", "Read"):
                QTimer.singleShot(150, self.bench.show_snapshot)  # not in the same moment as the charts
        if self.session.stage == "Run":
            model = self.ledger.model
            if model.lines:
                for column in (1, model.columnCount() - 1):  # the value now, and how it has gone
                    model.dataChanged.emit(model.index(0, column), model.index(len(model.lines) - 1, column))

    def _take_standings(self):
        """How other layouts stand, worked out beside the window."""
        self.session.poll()
        if not self.session.looking:
            self._looking.stop()

    def _take_estimates(self):
        """Estimates that have come from the process beside the window; what has changed since is asked anew."""
        if not self.session.foretelling.poll() and not self._asking.isActive() and not self.session.looking:
            self._foretold.setInterval(100 if self.session.foretelling.estimator.waiting else 400)

    def _ask_estimates(self):
        """Ask for estimates once no more is typed; none while a run needs the machine."""
        if self.session.run is None and self.session.foretelling.on:
            self._asking.start()

    def drawing(self) -> bool:
        """Whether a picture is still to come."""
        return self._arranging.isActive() or any(
            b is not None and b.busy() for b in (self.bench, self.second, *self.others)
        )

    def run(self, fresh: bool = False):
        """Solve the shown layout: save first, so that the result belongs to what is on disk."""
        try:
            if self.session.folder is None and not self.save_as():
                return
            if self.session.history.dirty:
                self.session.save()
        except StithyError as error:
            self.ledger.refuse(str(error))
            return
        if self.session.stage == "Weigh":  # two benches become one: first that, then the run
            self.session.choose_stage("Run")
        self._begin(fresh)

    def _begin(self, fresh: bool):
        if self.session.run is not None or not self.isVisible():
            return
        if self.session.stage == "Run" and self.drawing():
            QTimer.singleShot(20, lambda: self._begin(fresh))
            return
        try:
            self.session.start_run(fresh)
        except StithyError as error:
            self.ledger.refuse(str(error))
            return
        self._poll.start()
        QTimer.singleShot(60, lambda: self.session.choose_stage("Run"))  # a moment of its own: it draws the bench anew

    def _fly(self, margin):
        self.session.select((margin.bound.of,))
        if margin.spot is not None and self.session.stage not in ("Read", "Weigh"):
            self.session.choose_stage("Read")
        self.bench.fly(margin)

    def switch(self):
        """Turn the selected drawn rows on or off."""
        self.ledger.switch(self.session.selected)

    def find(self):
        """The command box."""
        Finder(self).open_at(self.geometry())

    def _restore(self):
        kept = QSettings("stithy", "window")
        if kept.value("geometry"):
            self.restoreGeometry(kept.value("geometry", type=QByteArray))
        room = self.screen().availableGeometry().size()
        if not kept.value("geometry") or self.width() > room.width() or self.height() > room.height():
            self.resize(min(1280, room.width()), min(800, room.height()))
        stage = kept.value("stage", "Shape")
        if stage in STAGES:
            self.session.choose_stage(stage)

    def shut(self):
        """Stop timers, the run (which keeps what it has) and the 3-D windows; remember the window."""
        if self.is_shut:
            return
        self.is_shut = True
        kept = QSettings("stithy", "window")
        kept.setValue("geometry", self.saveGeometry())
        kept.setValue("stage", self.session.stage)
        self._arranging.stop()
        self._poll.stop()
        self._looking.stop()
        self._asking.stop()
        self._foretold.stop()
        self.session.foretelling.shut()
        self.importing.shut()
        self.pages["What if"].shut()
        self._autosave.stop()
        self.pages["Studies"]._poll.stop()
        self.session.stop_work()
        if self.session.run:
            if self.session.queue:  # it comes first again when the window is opened
                self.session.set_queue([*self.session.solved_now(), *self.session.queue])
            self.session.run.let_go()
            for one in self.session.beside:
                one.run.let_go()
        if self.run_film is not None:
            self.run_film.end()
        self.bench.shut()
        for bench in filter(None, (self.second, *self.others)):
            bench.shut()


def _rule() -> QWidget:
    line = QWidget(styleSheet=f"background: {look.RULE};")
    line.setFixedHeight(1)
    return line
