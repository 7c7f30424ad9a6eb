"""What if powers were others: a slider for each load, and every limit with its answer at once."""

from __future__ import annotations

import os
from concurrent.futures import Future, ProcessPoolExecutor
from pathlib import Path

from PyQt6.QtCore import Qt, QTimer
from PyQt6.QtWidgets import QHBoxLayout, QHeaderView, QLabel, QPushButton, QScrollArea, QSlider, QVBoxLayout, QWidget

from ..errors import StithyError
from ..project.document import Document
from ..read import shown
from ..solve import processes
from ..solve.influence import Influence, influence
from . import look
from .session import Session
from .tables import empty, fill, plain_table

#: a slider's range, per cent of the load as it is
RANGE = 200


def _work(document: dict, folder: str, layout: str) -> Influence:
    return influence(Document.model_validate(document), Path(folder), layout)


class WhatIf(QWidget):
    """Worked out in a process of its own when asked for; then sliders answer at once."""

    def __init__(self, session: Session, _compare=None):
        super().__init__()
        self.session = session
        self.found: Influence | None = None
        self._of: tuple = ()
        self._pool: ProcessPoolExecutor | None = None
        self._future: Future | None = None
        self.ask = QPushButton("Work out what powers do")
        self.ask.setToolTip("Solves the energy equation once for each load, with the flow held")
        self.ask.clicked.connect(self.begin)
        self.keep = QPushButton("Make it a layout")
        self.keep.setToolTip("A new layout with these powers, to be solved for certain")
        self.keep.clicked.connect(self.make)
        self.reset = QPushButton("As it is")
        self.reset.clicked.connect(self._as_it_is)
        self.note = QLabel(wordWrap=True)
        self.note.setProperty("quiet", True)
        self.inner = QWidget()
        self.rows = QVBoxLayout(self.inner)
        self.rows.setContentsMargins(0, 0, 6, 0)
        self.rows.setSpacing(0)
        self.table = plain_table()
        self.table.horizontalHeader().setSectionResizeMode(QHeaderView.ResizeMode.Stretch)
        self.sliders: dict[str, QSlider] = {}
        self.said: dict[str, QLabel] = {}
        self._lay_out()
        self.timer = QTimer(self, interval=150)
        self.timer.timeout.connect(self._poll)
        for event in ("stage", "results", "layout", "document"):
            session.on(event, self.rebuild)

    def _lay_out(self) -> None:
        scroll = QScrollArea()
        scroll.setWidget(self.inner)
        scroll.setWidgetResizable(True)
        scroll.setFrameShape(scroll.Shape.NoFrame)
        scroll.setStyleSheet(f"QScrollArea, QWidget {{ background: {look.SHELF}; }}")
        left, head = QVBoxLayout(), QHBoxLayout()
        for widget in (self.ask, self.reset, self.keep):
            head.addWidget(widget)
        head.addWidget(self.note, 1)
        left.addLayout(head)
        left.addWidget(scroll, 1)
        row = QHBoxLayout(self)
        row.setContentsMargins(12, 2, 12, 6)
        row.setSpacing(16)
        row.addLayout(left, 1)
        row.addWidget(self.table, 1)
        self._show(None)

    def _key(self) -> tuple:
        standing = self.session.standing()
        if standing.state != "current" or standing.summary is None:
            return ()
        return self.session.layout, standing.summary["key"]

    def rebuild(self) -> None:
        """Forget what belongs to another layout or result."""
        if self._key() != self._of:
            self._of = self._key()
            self._show(None)

    def begin(self) -> None:
        """Begin to work it out beside the window."""
        session = self.session
        if session.folder is None or self._future is not None:
            return
        here = dict(os.environ)
        self._pool = self._pool or ProcessPoolExecutor(1, processes.context(), processes.as_here, (here,))
        document = session.document.model_dump(mode="json")
        self._future = self._pool.submit(_work, document, str(session.folder), session.layout)
        self.note.setText("Solving the energy equation for each load, with the flow held")
        self.ask.setEnabled(False)
        self.timer.start()

    def _poll(self) -> None:
        if self._future is None or not self._future.done():
            return
        self.timer.stop()
        future, self._future = self._future, None
        try:
            found = future.result()
        except StithyError as error:
            self._show(None, str(error).splitlines()[0])
            return
        except Exception as error:  # the process died
            self._show(None, f"It could not be worked out ({type(error).__name__}).")
            return
        self._show(found if found.layout == self.session.layout else None)

    def _show(self, found: Influence | None, told: str = "") -> None:
        self.found = found
        empty(self.rows)
        self.sliders, self.said = {}, {}
        ready = bool(self._key())
        self.ask.setVisible(found is None)
        self.ask.setEnabled(ready and self._future is None)
        for button in (self.keep, self.reset):
            button.setVisible(found is not None)
        if found is None:
            fill(self.table, ("",), [])
            usual = "What each limit would be if powers were others." if ready else "Solve this layout first."
            self.note.setText(told or usual)
            return
        self.note.setText(
            f"Approximate: {found.note}." if found.note else "Exact for this flow; the next run shows it."
        )
        for name, power in zip(found.loads, found.powers, strict=True):
            self._slider(name, float(power))
        self.rows.addStretch(1)
        self._answer()

    def _slider(self, name: str, power: float) -> None:
        line = QWidget()
        row = QHBoxLayout(line)
        row.setContentsMargins(0, 0, 0, 0)
        label = QLabel(name)
        label.setFixedWidth(118)
        slider = QSlider(Qt.Orientation.Horizontal)
        slider.setRange(0, RANGE)
        slider.setValue(100)
        slider.setAccessibleName(f"power of {name}")
        said = QLabel(shown.text(power, "power", 3))
        said.setFixedWidth(64)
        slider.valueChanged.connect(lambda _: self._answer())
        for widget in (label, slider, said):
            row.addWidget(widget)
        self.sliders[name], self.said[name] = slider, said
        self.rows.addWidget(line)

    def powers(self) -> dict[str, float]:
        """Powers (W) as the sliders stand."""
        assert self.found is not None
        pairs = zip(self.found.loads, self.found.powers, strict=True)
        return {n: float(p) * self.sliders[n].value() / 100 for n, p in pairs}

    def _as_it_is(self) -> None:
        for slider in self.sliders.values():
            slider.setValue(100)

    def _answer(self) -> None:
        """Every limit with the powers as the sliders stand."""
        if self.found is None:
            return
        powers = self.powers()
        for name, label in self.said.items():
            label.setText(shown.text(powers[name], "power", 3))
        then, now, rows = self.found.hottest(powers), self.found.hottest({}), []
        for m in self.session.standing().margins:
            of = m.bound.of
            if m.bound.measured != "temperature" or of not in then or m.value is None or m.bound.least:
                continue
            value = m.value + then[of] - now[of]
            over = value > m.bound.most
            take = ""
            if of in self.found.loads:
                # the value told is carried on to finer grids: the limit is moved by as much
                most = self.found.most(of, m.bound.most - (m.value - now[of]), powers=powers)
                take = f"up to {shown.text(max(most, 0.0), 'power', 3)}"
            rows.append(
                [
                    of,
                    m.value_text(),
                    (m.value_text(value), over),
                    m.bound_text(),
                    shown.text(m.bound.most - value, "temperature difference"),
                    take,
                ]
            )
        fill(self.table, ("part", "now", "then", "limit", "margin", "may take"), rows)

    def make(self) -> None:
        """A new layout with these powers."""
        from ..project import edits

        session = self.session
        if self.found is None:
            return
        names = {x.name for x in session.document.layouts}
        name = next(n for k in range(1, 1000) if (n := f"{session.layout[:48]}, what if {k}") not in names)
        made = [edits.duplicate_layout(session.layout, name)]
        for load, power in self.powers().items():
            if self.sliders[load].value() != 100:
                made.append(edits.set_cell(name, load, "power", f"{power:.4g} W", True))
        try:
            session.do(edits.many(f"layout {name}", made))
        except StithyError as error:
            self.note.setText(str(error).splitlines()[0])
            return
        session.choose_layout(name)

    def shut(self) -> None:
        """End the process, if one is on."""
        self.timer.stop()
        if self._pool is not None:
            for process in list((getattr(self._pool, "_processes", None) or {}).values()):
                process.kill()
            self._pool.shutdown(wait=False, cancel_futures=True)
