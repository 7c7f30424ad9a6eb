"""What is known of the run that is on, or was on last."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np

from ..solution.solution import Solution
from ..solve import messages


@dataclass
class RunState:
    """``layout`` it solves, what it says (``text``), its reports so far, and how it ended: ``over`` is "", "finished",
    "failed" or "refused". ``snapshot``: temperatures sent last, ``solution``: the whole solution sent last;
    ``followed``: what watches came to (SI) in each of those, by iteration."""

    layout: str = ""
    text: str = ""
    history: list[messages.Report] = field(default_factory=list)
    watches: tuple[str, ...] = ()
    ends: tuple[str, ...] = ()
    cells: int = 0
    criterion: float = 0.0
    over: str = ""
    snapshot: np.ndarray | None = None
    place: tuple[float, float, float] | None = None
    result: Solution | None = None
    solution: Solution | None = None
    followed: list[tuple[int, dict[str, float]]] = field(default_factory=list)
    log: list[tuple[float, int, float, str, str]] = field(default_factory=list)
    #: cells turned in a run in time (row, key) and what they say now; events that the document is still to say
    turned: dict[tuple[str, str], str] = field(default_factory=dict)
    events: list[dict] = field(default_factory=list)
    kept: str = ""
    #: key of the model that the run is of, and what it was before something was asked of it
    key: str = ""
    key_before: str = ""

    def asked(self, key: str) -> None:
        """The run is asked to go on with another model."""
        self.key_before, self.key = self.key, key

    def turned_at(self, row: str, key: str) -> str:
        """When a dial was turned last, in words."""
        said = [x for x in self.log if x[3] == "turned" and x[4].startswith(f"{row}:")]
        if not said:
            return ""
        _, iteration, time, _, _ = said[-1]
        return f", turned at {time:.4g} s" if time else f", turned at iteration {iteration}"

    def hear(self, message) -> None:
        """Take in one message of the solver's process."""
        match message:
            case messages.Preparing(text):
                self.text = text
            case messages.Started():
                self.cells, self.watches, self.ends, self.criterion = (
                    message.cells,
                    message.watches,
                    message.ends,
                    message.criterion,
                )
                self.text = "Continuing from the last field" if message.continued else "Solving from rest"
            case messages.Report():
                self.history.append(message)
                self.text = "Solving" if self.text.startswith("Casting") else self.text
            case messages.Snapshot(temperature, solution):
                self.snapshot = temperature
                self.solution = solution or self.solution
            case messages.Noted(line, cells, event):
                if event is not None:
                    self.events.append(event)
                else:
                    self.log.append(line)
                    self.cells = cells or self.cells
            case messages.Kept(text):
                self.kept, self.key = text, self.key_before or self.key
            case messages.Result(solution):
                self.result = solution
            case messages.Finished(summary):
                self.over = "finished"
                self.text = "Settled" if summary["settled"] else "Stopped before it settled; kept"
            case messages.Failed(text, place):
                self.over, self.text, self.place = "failed", text, place
            case messages.Refused(problems):
                self.over, self.text = "refused", "\n".join(map(str, problems))
