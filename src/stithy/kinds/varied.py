"""What a study varies, as it is written in its cells: "Fan, speed: 60; 80; 100 %", "Plate, fins: 6 to 20 whole"."""

from __future__ import annotations

import re
from typing import Annotated

from ..errors import ValueProblem
from ..model.studies import Varied
from ..project.kind import KINDS, WEIGH, Cell, Row, Text
from ..project.reader import Reader
from .event import key_of

#: most values of one variable
MOST = 1000
_NUMBER = r"[-+]?(?:\d+\.?\d*|\.\d+)(?:[eE][-+]?\d+)?"
_RANGE = re.compile(rf"({_NUMBER})\s*(.*?)\s+to\s+({_NUMBER})\s*(.*)")
_TAIL = re.compile(r"(?:\s+in\s+(\d+))?(\s+whole)?$")
#: roles of rows that a study may vary
ROLES = (
    "parameter",
    "solid",
    "enclosure",
    "fluid region",
    "opening",
    "fan",
    "flow device",
    "surroundings",
    "setting",
    "contact",
    "faces",
    "wall patch",
    "material",
    "fluid",
    "layout",
)


def cell(title: str) -> Cell:
    """A cell that says what is varied."""
    what = "a cell and its values: Fan, speed: 60; 80; 100 %; or 2 to 6 W in 5; or a parameter; or layout: A; B"
    return Cell(title, WEIGH, what, refers=ROLES, leads=True, columns=("where",) if title == "varies" else ())


FirstVaried = Annotated[Text, cell("varies")]
SecondVaried = Annotated[Text, cell("and varies")]
ThirdVaried = Annotated[Text, cell("and varies too")]
FourthVaried = Annotated[Text, cell("and also varies")]
OfLayout = Annotated[Text, Cell("of", WEIGH, "the layout that is varied; empty: the first", refers=("layout",))]


class Varying(Row):
    """What sweeps and searches have in common: a layout, and up to four of its cells that are varied."""

    of: OfLayout = ""
    first: FirstVaried = ""
    second: SecondVaried = ""
    third: ThirdVaried = ""
    fourth: FourthVaried = ""


KEYS = ("first", "second", "third", "fourth")


def at_home(r: Reader, row: Row) -> bool:
    """Whether the layout that is read is the one that a study varies: only there its cells say something. One that is
    of no layout there is told in the first."""
    of = row.text("of") or r.layouts[0]
    return r.layout == (of if of in r.layouts else r.layouts[0])


def variables(r: Reader, row: Row, ranges: bool) -> tuple[Varied, ...]:
    """All that a row varies; what cannot be read is noted. ``ranges``: a range without a count is meant as such."""
    out: list[Varied] = []
    for key in KEYS:
        if not row.text(key):
            continue
        try:
            found = _varied(r, row.text(key))
            if not found.values and not ranges:
                raise ValueProblem(row.text(key), "says from where to where, but not in how many.", "Add: in 5.")
            if any(x.title == found.title for x in out):
                raise ValueProblem(row.text(key), f"varies “{found.title}” once more.", "Name each cell once.")
            out.append(found)
        except ValueProblem as error:
            r.note(row, key, error.what, error.remedy)
    if not any(row.text(key) for key in KEYS):
        r.note(row, "first", "is empty: nothing is varied.", "Write a cell and its values: Fan, speed: 60; 80; 100 %.")
    return tuple(out)


def _varied(r: Reader, text: str) -> Varied:
    """One of them. Raises ValueProblem."""
    head, colon, values = text.partition(":")
    head, example = head.strip(), "Write it like: Fan, speed: 60; 80; 100 %."
    if not colon or not values.strip():
        raise ValueProblem(text, f"“{text[:40]}” names no values.", example)
    if head == "layout":
        names = tuple(v.strip() for v in values.split(";") if v.strip())
        lost = next((n for n in names if n not in r.layouts), None)
        if lost is not None:
            raise ValueProblem(text, f"There is no layout “{lost[:40]}”.", f"There are {'; '.join(r.layouts)[:120]}.")
        return Varied("layout", "", "layout", names)
    row, key = _target(r, head)
    values = values.strip()
    tail = _TAIL.search(values)
    count, whole = tail.groups() if tail is not None else (None, None)
    found = _RANGE.fullmatch(values[: tail.start()] if tail is not None else values)
    if found is None:
        listed = _with_units([v.strip() for v in values.split(";") if v.strip()])
        if len(set(listed)) < len(listed) or len(listed) > MOST:
            raise ValueProblem(text, f"holds a value twice, or more than {MOST}.", "Name each value once.")
        return Varied(head, row, key, tuple(listed))
    low, unit, high, other = (x.strip() for x in found.groups())
    if unit and other and unit != other:
        raise ValueProblem(text, f"has two units, {unit} and {other}.", "Write both ends in one unit.")
    a, b, unit = float(low), float(high), other or unit
    if not a < b:
        raise ValueProblem(text, f"goes from {low} to {high}.", "Write the smaller number first.")
    if count is None:
        return Varied(head, row, key, (), a, b, unit, bool(whole))
    many = int(count)
    if not 2 <= many <= MOST:
        raise ValueProblem(text, f"goes in {many} values.", f"Choose from 2 to {MOST}.")
    steps = [a + (b - a) * m / (many - 1) for m in range(many)]
    listed = list(dict.fromkeys(f"{round(x) if whole else x:.6g} {unit}".strip() for x in steps))
    return Varied(head, row, key, tuple(listed), a, b, unit, bool(whole))


def _target(r: Reader, head: str) -> tuple[str, str]:
    """Row and key of what a head names. Raises ValueProblem."""
    if head in r.by_name and r.by_name[head].kind == "parameter":
        return head, "value"
    name = max((n for n in r.by_name if head.startswith(f"{n},")), key=len, default="")
    if not name:
        parameters = "; ".join(n for n, x in r.by_name.items() if x.kind == "parameter")
        more = f" Parameters: {parameters[:80]}." if parameters else ""
        raise ValueProblem(
            head, f"“{head[:40]}” is no row with a cell, and no parameter.", f"Write row, cell: values.{more}"
        )
    row, title = r.by_name[name], head[len(name) + 1 :].strip()
    key = key_of(row, title)
    if not key:
        offered = ", ".join(c.title for c in KINDS[row.kind].cells.values())
        raise ValueProblem(head, f"“{name}” has no cell “{title[:40]}”.", f"It has {offered[:160]}.")
    return name, key


def _with_units(values: list[str]) -> list[str]:
    """Values, those that are plain numbers with the unit of the last."""
    last = re.fullmatch(rf"({_NUMBER})\s*([^\d\s.].*)", values[-1]) if values else None
    if last is None:
        return values
    return [f"{v} {last[2]}" if re.fullmatch(_NUMBER, v) else v for v in values]
