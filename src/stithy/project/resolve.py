"""Reading cells into SI numbers, gathering every problem with its row and cell instead of stopping at the first."""
from __future__ import annotations

from ..errors import Problem, StithyError, ValueProblem
from . import cells, library, units
from .document import Document, Row


class Reader:
    """Reads the cells of one layout's rows; ``problems`` grows as it goes.

    Every reading method returns the value, or ``fallback`` after noting the problem.
    """

    def __init__(self, document: Document, layout: str):
        self.rows = document.rows_of(layout)
        self.by_name = {r.name: r for r in self.rows}
        self.layouts = [x.name for x in document.layouts]
        self.problems: list[Problem] = []
        self.names: dict = {}
        self._parameters()
        plan = document.layout(layout)
        known = {r.name for r in document.rows} | {r.name for r in plan.add}
        for name in [*plan.changes, *plan.leave_out]:
            if name not in known:
                self.problems.append(Problem(name, "", f"the layout “{layout}” changes a row that is not there.",
                                             "Add the row again, or undo its deletion.", "Shape"))
        for name, changes in plan.changes.items():
            row = self.by_name.get(name)
            for key in changes if row is not None else ():
                if key not in type(row).model_fields or key in ("kind", "name"):
                    self.problems.append(Problem(name, "", f"the layout “{layout}” changes a cell “{units.short(key)}” that it has not.",
                                                 "Correct the cell's name in the file, or take the change out.", "Shape"))
        for kind in ("surroundings", "grid", "run", "drive"):
            for row in self.of(kind)[1:]:
                self.problems.append(Problem(row.name, "", f"is a second row of {kind}, and only one can hold.", "Delete one of them.",
                                             "Shape"))

    def _parameters(self):
        self.names = {row.name: None for row in self.of("parameter")}  # None: not to be used yet
        for row in self.of("parameter"):
            if not row.name.isidentifier():
                self.note(row, "name", "cannot stand in an expression.", "Use letters, digits and _ only.")
                continue
            try:
                self.names[row.name] = units.quantity(row.value, "", self.names)
            except StithyError as error:
                self.note(row, "value", str(error), "")

    def of(self, *kinds: str) -> list[Row]:
        """Rows of these kinds, in the order of the document."""
        return [r for r in self.rows if r.kind in kinds]

    def note(self, row: Row, key: str, what: str, remedy: str) -> None:
        """Note a problem at one cell."""
        title, stage = key, "Shape"
        if key != "name":
            c = cells.cell(row.kind, key)
            title, stage = c.title, c.stage
        self.problems.append(Problem(row.name, title, what, remedy, stage))

    def value(self, row: Row, key: str, dimension: str, fallback: float = 1.0, least: float | None = None,
              above: float | None = None, most: float | None = None) -> float:
        """An SI value; ``least`` or ``above`` bound it from below, ``most`` from above."""
        text = getattr(row, key)
        try:
            x = units.to_si(text, dimension, self.names)
        except ValueProblem as error:
            self.note(row, key, error.what, error.remedy)
            return fallback
        if (least is not None and x < least) or (above is not None and x <= above):
            bound = f"at least {least:g}" if above is None else f"more than {above:g}"
            self.note(row, key, f"“{units.short(text)}” is too small.",
                      f"Give {bound} {units.DIMENSIONS[dimension][0]}.".replace(" .", "."))
            return fallback
        if most is not None and x > most:
            self.note(row, key, f"“{units.short(text)}” is too large.", f"Give at most {most:g} {units.DIMENSIONS[dimension][0]}.")
            return fallback
        return x

    def maybe(self, row: Row, key: str, dimension: str, default: float, **bounds) -> float:
        """Like :meth:`value`, but an empty cell means ``default``."""
        return self.value(row, key, dimension, default, **bounds) if getattr(row, key).strip() else default

    def whole(self, row: Row, key: str, fallback: int = 1, least: int = 1, most: int = 10_000) -> int:
        """A whole number."""
        value = self.value(row, key, "ratio", fallback, least=least, most=most)
        if abs(value - round(value)) > 1e-9:
            self.note(row, key, f"“{units.short(getattr(row, key))}” is no whole number.", "Give a whole number.")
            return fallback
        return int(round(value))

    def vector(self, row: Row, key: str, dimension: str, count: int, fallback: float = 1.0,
               above: float | None = None) -> tuple[float, ...]:
        """``count`` SI values."""
        text = getattr(row, key)
        try:
            v = units.vector(text, dimension, count, self.names)
        except ValueProblem as error:
            self.note(row, key, error.what, error.remedy)
            return (fallback,) * count
        if above is not None and min(v) <= above:
            self.note(row, key, f"“{units.short(text)}” holds a length that is not positive.", "Give lengths above 0 mm.")
            return (fallback,) * count
        return v

    def choice(self, row: Row, key: str, allowed, fallback: str) -> str:
        """One of a closed list."""
        text = getattr(row, key).strip()
        if text in allowed:
            return text
        if not text:
            self.note(row, key, "is empty.", f"Choose one of: {_list(allowed)}.")
        else:
            self.note(row, key, f"“{units.short(text)}” is not known.", f"Choose one of: {_list(allowed)}.")
        return fallback

    def material(self, row: Row, own=()) -> library.Material:
        """The row's solid material from the library; ``own`` names are offered beside it when the text is none of them."""
        known = library.materials()
        return known[self.choice(row, "material", [*own, *known], "aluminium")]

    def fan(self, row: Row) -> library.FanData:
        """The row's fan curve at its speed (flow goes with speed, pressure with its square)."""
        text = row.curve.strip()
        fan = library.fans().get(text) or self._points(row, text)
        part = self.value(row, "speed", "ratio", 1.0, above=0.0, most=2.0)
        return library.FanData(tuple(q * part for q in fan.flow), tuple(p * part**2 for p in fan.rise),
                               fan.draw * part**3)

    def _points(self, row: Row, text: str) -> library.FanData:
        plain = library.FanData((0.0, 1.0), (1.0, 0.0))
        if ":" not in text:
            self.choice(row, "curve", library.fans(), "")
            return plain
        flow, rise = [], []
        try:
            for point in text.split(";"):
                q, p = point.split(":")
                flow.append(units.to_si(q, "volume flow", self.names))
                rise.append(units.to_si(p, "pressure", self.names))
        except (ValueProblem, ValueError) as error:
            self.note(row, "curve", f"“{text}” cannot be read ({error}).",
                      "Write points such as 0 m3/h: 40 Pa; 6 m3/h: 22 Pa; 10 m3/h: 0 Pa.")
            return plain
        if len(flow) < 2 or flow[0] != 0 or any(b <= a for a, b in zip(flow, flow[1:], strict=False)) or rise[0] <= 0:
            self.note(row, "curve", "must start at no flow with a positive pressure, and flows must rise.",
                      "Write points such as 0 m3/h: 40 Pa; 6 m3/h: 22 Pa; 10 m3/h: 0 Pa.")
            return plain
        return library.FanData(tuple(flow), tuple(rise))


def _list(items) -> str:
    items = list(items)
    return ", ".join(items[:12]) + (" …" if len(items) > 12 else "")
