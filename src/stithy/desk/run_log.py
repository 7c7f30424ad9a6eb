"""The log of a run, in Run: what was done, warnings, refinements, dials; to be read and searched while it runs."""

from __future__ import annotations

from PyQt6.QtWidgets import QHeaderView, QLineEdit, QVBoxLayout

from .page import Page
from .session import Session
from .tables import fill, plain_table

WORDS = {"refined": "refined", "turned": "turned", "warning": "warning", "began": "began", "note": "told"}


class RunLog(Page):
    """A table of what happened, with what is told of the result at its end."""

    stage = "Run"

    def __init__(self, session: Session):
        super().__init__(session)
        self.find = QLineEdit(placeholderText="Search what was done")
        self.find.setClearButtonEnabled(True)
        self.find.textChanged.connect(lambda _: self.rebuild())
        self.table = plain_table()
        box = QVBoxLayout(self)
        box.setContentsMargins(12, 4, 12, 6)
        box.addWidget(self.find)
        box.addWidget(self.table, 1)
        self._shown: list | None = None
        for event in ("run", "layout", "results", "stage"):
            session.on(event, self.rebuild)

    def lines(self) -> list[tuple[float, int, float, str, str]]:
        """The log of the run that is on, or of the shown layout's result."""
        session, state = self.session, self.session.run_state
        if state.layout == session.layout and (session.run is not None or state.log) and state.over != "finished":
            return list(state.log)
        summary = session.standing().summary or {}
        found = [tuple(x) for x in summary.get("log", ())]
        seconds = float(summary.get("seconds", 0.0))
        end = (seconds, int(summary.get("iterations", 0)), float(summary.get("time", 0.0)))
        return found + [(*end, "note", text) for text in summary.get("trust", {}).get("notes", ())]

    def rebuild(self) -> None:
        """Show what holds the words that are looked for."""
        if not self.seen():
            return
        words = self.find.text().lower().split()
        found = [x for x in self.lines() if all(w in f"{x[3]} {x[4]}".lower() for w in words)]
        if found == self._shown:
            return
        self._shown = found
        rows = [
            [f"{s:.0f} s", str(i) if i else "", f"{t:.4g} s" if t else "", WORDS.get(kind, kind), text]
            for s, i, t, kind, text in found
        ]
        fill(
            self.table,
            ["at", "iteration", "time", "what", "in words"],
            rows or [["", "", "", "", "Nothing yet."]],
            words=5,
        )
        header = self.table.horizontalHeader()
        if header is not None:
            header.setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
            header.setSectionResizeMode(4, QHeaderView.ResizeMode.Stretch)
