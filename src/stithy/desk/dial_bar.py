"""Dials under the bench while a run is on: knob now, ring where it stood when the run began; each takes effect at the
next step."""

from __future__ import annotations

from dataclasses import replace

from PyQt6.QtCore import QPointF, QRectF, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QColor, QPainter, QPen
from PyQt6.QtWidgets import QGridLayout, QHBoxLayout, QLabel, QLineEdit, QPushButton, QSizePolicy, QVBoxLayout, QWidget

from ..errors import StithyError
from ..kinds.dials import Dial, dials
from . import look
from .session import Session

#: dials side by side; steps of a key, and milliseconds of rest after which a key has been meant
MOST, STEPS, REST = 4, 40, 400
#: cells whose unit says what they are
PLAIN = ("power", "speed", "flow")
#: cells of which a layout has but one
OWN = ("ambient", "step", "hold_flow", "save_every", "residual", "drift")


class Scale(QWidget):
    """The scale of one dial, from low to high."""

    moved = pyqtSignal(float)
    let_go = pyqtSignal()

    def __init__(self, of: Dial, began: float):
        super().__init__()
        self.of, self.began, self.value = of, began, of.value
        self.setFixedHeight(20)
        self.setMinimumWidth(80)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(f"{of.row} {of.title}")
        self._rest = QTimer(self, singleShot=True, interval=REST)
        self._rest.timeout.connect(self.let_go.emit)

    def _x(self, value: float) -> float:
        share = (value - self.of.low) / max(self.of.high - self.of.low, 1e-300)
        return 7.0 + (self.width() - 14.0) * min(max(share, 0.0), 1.0)

    def _at(self, x: float) -> float:
        share = min(max((x - 7.0) / max(self.width() - 14.0, 1.0), 0.0), 1.0)
        return self.of.low + share * (self.of.high - self.of.low)

    def put(self, value: float) -> None:
        """Stand at a value."""
        self.value = value
        self.update()
        self.moved.emit(value)

    def mousePressEvent(self, event):  # noqa: N802
        if event.button() == Qt.MouseButton.LeftButton:
            self.setFocus()
            self.put(self._at(event.position().x()))

    def mouseMoveEvent(self, event):  # noqa: N802
        if event.buttons() & Qt.MouseButton.LeftButton:
            self.put(self._at(event.position().x()))

    def mouseReleaseEvent(self, event):  # noqa: N802
        if event.button() == Qt.MouseButton.LeftButton:
            self.let_go.emit()

    def keyPressEvent(self, event):  # noqa: N802
        way = {Qt.Key.Key_Left: -1, Qt.Key.Key_Down: -1, Qt.Key.Key_Right: 1, Qt.Key.Key_Up: 1}.get(event.key())
        if way is None:
            super().keyPressEvent(event)
            return
        step = (self.of.high - self.of.low) / STEPS
        self.put(min(max(self.value + way * step, self.of.low), self.of.high))
        self._rest.start()

    def paintEvent(self, event):  # noqa: N802
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        y = 10.0
        p.setPen(QPen(QColor(look.RULE), 1.5))
        p.drawLine(QPointF(7, y), QPointF(self.width() - 7, y))
        for m in range(11):
            x = 7.0 + (self.width() - 14.0) * m / 10
            p.drawLine(QPointF(x, y - 2.5), QPointF(x, y + 2.5))
        now, stood = self._x(self.value), self._x(self.began)
        if abs(now - stood) > 1.0:
            p.setPen(QPen(QColor(look.INK), 3.0))
            p.drawLine(QPointF(stood, y), QPointF(now, y))
        p.setPen(QPen(QColor(look.INK), 1.5))
        p.setBrush(QColor(look.SHEET))
        p.drawEllipse(QPointF(stood, y), 4.0, 4.0)
        p.setPen(QPen(QColor(look.TEAL if self.hasFocus() else look.INK), 1.5))
        p.setBrush(QColor(look.INK))
        p.drawRoundedRect(QRectF(now - 4, y - 8, 8, 16), 2, 2)
        p.end()


class DialBar(QWidget):
    """The dials of the shown layout's run. ``refused`` says why one could not be turned."""

    refused = pyqtSignal(str)

    def __init__(self, session: Session):
        super().__init__()
        self.session = session
        self.setObjectName("dials")
        self.setStyleSheet(f"#dials {{ background: {look.SHELF}; }}")
        self.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)
        self.grid = QGridLayout()
        self.grid.setContentsMargins(14, 6, 14, 6)
        self.grid.setHorizontalSpacing(16)
        self.grid.setVerticalSpacing(0)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.addLayout(self.grid)
        whole.addWidget(self._changed_strip())
        self.scales: dict[tuple[str, str], Scale] = {}
        self._began: dict[tuple[str, str], float] = {}
        self._turned: dict[tuple[str, str], str] = {}
        self._run: object = None
        self._shown: list | None = None
        for event in ("run", "stage", "layout", "document", "selection"):
            session.on(event, self.rebuild)
        self.rebuild()

    def _changed_strip(self) -> QWidget:
        """What is offered where the layout was changed in the ledger while it is being solved."""
        self.changed = QWidget()
        said = QLabel("The layout was changed while it is being solved.")
        self.take = QPushButton("Take it into the run")
        self.take.setToolTip("The run goes on from its present fields with the layout as it is now")
        self.take.clicked.connect(self.session.take_into_run)
        self.anew = QPushButton("Start anew from these fields")
        self.anew.setToolTip("Stops and keeps this run, and starts the layout as it is now from where it stands")
        self.anew.clicked.connect(self._start_anew)
        row = QHBoxLayout(self.changed)
        row.setContentsMargins(14, 0, 14, 6)
        row.addWidget(said, 1)
        row.addWidget(self.take)
        row.addWidget(self.anew)
        self.changed.hide()
        return self.changed

    def _start_anew(self) -> None:
        try:
            self.session.save()
            self.session.start_anew()
        except StithyError as error:
            self.refused.emit(str(error))

    def rebuild(self) -> None:
        """Show the dials of the run that is on; none where there is none."""
        s = self.session
        changed = s.stage == "Run" and s.changed_meanwhile()
        model = s.standing().model
        self.changed.setVisible(changed)
        self.take.setVisible(model is not None and model.run.time is None)
        on = s.stage == "Run" and s.run is not None and s.run_state.layout == s.layout and bool(s.run_state.cells)
        self.setVisible(on)
        if not on:
            return
        if s.run is not self._run:
            self._run, self._began, self._turned, self._shown = s.run, {}, {}, None
        found = [self._now(d) for d in dials(s.document, s.layout, s.selected, MOST)]
        if found == self._shown or any(x.hasFocus() and x._rest.isActive() for x in self.scales.values()):
            return
        self._shown = found
        self._fill(found)

    def _now(self, d: Dial) -> Dial:
        """A dial at what it was turned to in a run in time, with ends that hold what it began at."""
        began = self._began.setdefault((d.row, d.key), d.value)
        text = self.session.run_state.turned.get((d.row, d.key))
        value = d.value
        if text is not None:
            try:
                value = float(text.split()[0])
            except (ValueError, IndexError):
                pass
        return replace(d, value=value, low=min(d.low, began), high=max(d.high, 2.0 * began if d.low == 0.0 else began))

    def _fill(self, found: list[Dial]) -> None:
        while self.grid.count():
            item = self.grid.takeAt(0)
            widget = item.widget() if item is not None else None
            if widget is not None:
                widget.hide()
                widget.setParent(None)
                widget.deleteLater()
        self.scales = {}
        for m, d in enumerate(found):
            began = self._began[d.row, d.key]
            name = QLabel(d.row if d.key in PLAIN else d.title if d.key in OWN else f"{d.title}, {d.row}")
            name.setToolTip(f"{d.row}, {d.title}: drag, arrow keys, or type; it holds from the next step on")
            name.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
            field = QLineEdit(d.text(d.value))
            field.setFixedWidth(56)
            field.setAlignment(Qt.AlignmentFlag.AlignRight)
            field.setAccessibleName(f"{d.row} {d.title}, typed")
            field.setStyleSheet("border: 0; background: transparent; font-weight: 600; padding: 0;")
            scale = Scale(d, began)
            told = f"was {d.text(began)}" if abs(d.value - began) > 1e-9 * max(abs(began), 1e-9) else "turn it"
            under = QLabel(f"{told}{self.session.run_state.turned_at(d.row, d.key)}" if told != "turn it" else "")
            under.setProperty("quiet", True)
            scale.moved.connect(lambda v, f=field, x=d: f.setText(x.text(v)))
            scale.let_go.connect(lambda x=d, s=scale: self.turn(x, x.text(s.value)))
            field.returnPressed.connect(lambda x=d, f=field: self.turn(x, f.text()))
            head = QWidget()
            line = QHBoxLayout(head)
            line.setContentsMargins(0, 0, 0, 0)
            line.addWidget(name, 1)
            line.addWidget(field)
            for row, widget in enumerate((head, scale, under)):
                self.grid.addWidget(widget, row, m)
            self.grid.setColumnStretch(m, 1)
            self.scales[d.row, d.key] = scale

    def turn(self, d: Dial, text: str) -> None:
        """Let the run have a dial's new text; refused text leaves it as it was."""
        if text.strip() == d.text(d.value):
            return
        try:
            self.session.turn(d.row, d.key, text.strip())
        except StithyError as error:
            self.refused.emit(str(error))
            self._shown = None
            self.rebuild()
