"""The one error root. Every error a user can meet says what, where and what to do."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any


class StithyError(Exception):
    """Root of all errors meant for the user."""


@dataclass(frozen=True)
class Problem:
    """One thing wrong with a document.

    ``row`` and ``cell`` name the place in the ledger (``cell``, its title, may be empty), ``what`` says what is wrong
    and ``remedy`` what to do about it. ``about`` is what it has to do with ("shape", "load", "grid", "run"); ``key``
    the cell's name in the file.
    """

    row: str
    cell: str
    what: str
    remedy: str
    about: str = "shape"
    key: str = ""

    def __str__(self) -> str:
        place = f"{self.row}, {self.cell}" if self.cell else self.row
        return f"{place}: {self.what} {self.remedy}".strip()


class SetupError(StithyError):
    """The document cannot be turned into a case; carries every :class:`Problem` found, and the model when all cells
    could be read (it can then be drawn, contradictions and all)."""

    def __init__(self, problems: list[Problem], model: Any = None):
        self.problems, self.model = list(problems), model
        super().__init__("\n".join(str(p) for p in self.problems))


class ValueProblem(StithyError):
    """A cell's text cannot be read as the quantity it should be."""

    def __init__(self, text: str, what: str, remedy: str):
        self.text, self.what, self.remedy = text, what, remedy
        super().__init__(f"{what} {remedy}")


class FileProblem(StithyError):
    """A file cannot be opened or saved; nothing was changed."""


class SolveFailed(StithyError):
    """A run ended early because the solution diverged; says where (``place``, m) and the likely cause."""

    def __init__(self, text: str, place: tuple[float, float, float] | None = None):
        super().__init__(text)
        self.place = place
