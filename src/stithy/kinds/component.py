"""A powered block with a temperature limit, perhaps known by thermal resistances, perhaps one of a board's files."""

from __future__ import annotations

import re
from typing import Annotated, Any, Literal

from ..errors import ValueProblem
from ..model import Solid, drawn
from ..project import library, units
from ..project.circuits import Placed
from ..project.kind import LOAD, SHAPE, Cell, Row, Text, register
from ..project.reader import Reader
from . import board, solids
from .cells import SIDES, CellsAcross, Power, Profile, Starts, SurfaceFinish
from .place import on_floor

_RESISTANCE = "resistance in K/W; both given: a two-resistor component"
#: links that a component's network may have
MOST_LINKS = 24


class Component(Row):
    """A powered block with a temperature limit."""

    kind: Literal["component"] = "component"
    at: Annotated[
        Text,
        Cell(
            "low corner",
            SHAPE,
            "x, y, z of the corner nearest the origin; empty: where its board's files have it",
            columns=("place",),
        ),
    ] = "0, 0, 0 mm"
    size: Annotated[
        Text, Cell("size", SHAPE, "lengths along x, y, z; empty: as its board or its package says", columns=("size",))
    ] = "10, 10, 3 mm"
    on: Annotated[
        Text, Cell("on board", SHAPE, "the board from files that it stands on; empty: none", refers=("board",))
    ] = ""
    reference: Annotated[
        Text, Cell("reference", SHAPE, "what its board's files call it; empty: the first word of its name")
    ] = ""
    package: Annotated[
        Text,
        Cell(
            "package",
            SHAPE,
            "one of the library: its size, material and resistances hold where those cells are empty",
            library="packages",
        ),
    ] = ""
    material: Annotated[
        Text,
        Cell(
            "material",
            SHAPE,
            "a solid of the library; empty: its package's",
            refers=("material",),
            library="materials",
            columns=("material",),
        ),
    ] = "moulded package"
    power: Power = "1 W"
    profile: Profile = ""
    limit: Annotated[Text, Cell("limit", LOAD, "highest temperature allowed; empty: none", columns=("limit",))] = (
        "85 degC"
    )
    junction_to_case: Annotated[Text, Cell("junction to case", LOAD, _RESISTANCE)] = ""
    junction_to_board: Annotated[Text, Cell("junction to board", LOAD, _RESISTANCE)] = ""
    network: Annotated[
        Text,
        Cell(
            "network",
            LOAD,
            "resistances in K/W between junction, case, board, side or x- to z+: junction case 0.9; junction board "
            "4.6; case board 80; in place of the two above",
        ),
    ] = ""
    case_side: Annotated[
        Text,
        Cell("case side", LOAD, "which side is its case; the board is opposite; empty: away from its board", SIDES),
    ] = "z+"
    starts: Starts = ""
    finish: SurfaceFinish = ""
    cells: CellsAcross = ""


def read(r: Reader, row: Component) -> Solid:
    """The solid."""
    watched(r, row)  # so that what its limit lacks is told before anything is solved
    row = whole(r, row)
    junction, network = _junction(r, row), _network(r, row)
    if network and junction:
        r.note(row, "network", "is given beside two resistances.", "Empty the two resistances, or the network.")
    return solids.boxed(r, row, junction=None if network else junction, network=network)


def reference_of(row: Component) -> str:
    """What files call it."""
    return row.text("reference") or row.name.split()[0]


def whole(r: Reader, row: Component) -> Component:
    """The row with what its board's files and its package say in cells that are empty."""
    told: dict[str, str] = {}
    side = row.text("case_side")
    place = _placed(r, row)
    if place is not None:
        corner, size, away, part = place
        told |= {"at": _lengths(corner), "size": _lengths(size)}
        side = side or away
        for key, value in (("junction_to_case", part.junction_to_case), ("junction_to_board", part.junction_to_board)):
            if value is not None and part.junction_to_case and part.junction_to_board and not row.text("network"):
                told[key] = f"{value:g} K/W"
    package = None
    if row.text("package"):
        known = library.packages()
        name = r.choice(row, "package", known, next(iter(known)))
        package = known[name]
        away = side or "z+"
        lengths = [package.size[0], package.size[1]]
        lengths.insert("xyz".index(away[0]), package.size[2])
        told = {"size": _lengths(lengths), "material": package.material, "network": package.network} | told
        if not row.text("network") and package.resistances:
            told["junction_to_case"], told["junction_to_board"] = (f"{x:g} K/W" for x in package.resistances)
    told = {"at": "0, 0, 0 mm", "case_side": side or "z+"} | told
    return row.model_copy(update={key: text for key, text in told.items() if not row.text(key)})


def _lengths(values) -> str:
    return ", ".join(f"{1e3 * x:.7g}" for x in values) + " mm"


def _placed(r: Reader, row: Component) -> tuple[Any, Any, str, Placed] | None:
    """Low corner, size (m), case side and part of a component on a board from files; None after a note where its place
    is left to it."""
    if not row.text("on"):
        if not row.text("at"):
            r.note(row, "at", "is empty, and it is on no board.", "Write its low corner, or choose its board.")
        return None
    home = next((b for b in r.of("board") if b.name == row.text("on")), None)
    if not isinstance(home, board.Board):
        r.note(row, "on", f"there is no board “{row.text('on')}”.", "Choose one, or empty the cell.")
        return None
    known = board.circuit_of(r, home)
    part = known.part(reference_of(row)) if known is not None else None
    if known is None or part is None:
        if not row.text("at"):
            r.note(
                row,
                "reference",
                f"“{reference_of(row)}” is no part of the files of {home.name}.",
                "Delete it in this layout, write its reference there, or give it a low corner and a size.",
            )
        return None
    how, at = board.lying(r, home, known), r.vector(home, "at", "length", 3, 0.0)
    corner, size = how.box(part, known, at)
    return corner, size, how.side(part), part


def watched(r: Reader, row: Component) -> drawn.Watch | None:
    """Its highest temperature as a watch with a bound, when it has a limit."""
    if not row.text("limit"):
        return None
    most = r.value(row, "limit", "temperature", 400.0, above=50.0)
    return drawn.Watch(row.name, "temperature", "temperature", (row.name,), (), "max", None, most)


def _junction(r: Reader, row: Component) -> tuple[float, float, str] | None:
    """The two resistances, when both are given."""
    case, board_ = row.text("junction_to_case"), row.text("junction_to_board")
    if not case and not board_:
        return None
    if not (case and board_):
        r.note(
            row,
            "junction_to_board" if case else "junction_to_case",
            "is empty, but the other resistance is given.",
            "Give both resistances, or neither.",
        )
        return None
    return (
        r.value(row, "junction_to_case", "thermal resistance", 1.0, above=0.0),
        r.value(row, "junction_to_board", "thermal resistance", 1.0, above=0.0),
        r.choice(row, "case_side", SIDES, "z+"),
    )


def _network(r: Reader, row: Component) -> tuple[tuple[str, str, float], ...]:
    """Its resistances between nodes; empty after a note."""
    case = r.choice(row, "case_side", SIDES, "z+")
    sides: dict[str, tuple[str, ...]] = {
        "case": (case,),
        "board": (case[0] + ("-" if case[1] == "+" else "+"),),
        "junction": ("junction",),
    }
    sides["side"] = tuple(s for s in SIDES if s[0] != case[0])
    sides |= {s: (s,) for s in SIDES}
    out: list[tuple[str, str, float]] = []
    for text in (t.strip() for t in row.text("network").split(";") if t.strip()):
        found = re.fullmatch(r"(\S+)\s+(?:to\s+)?(\S+)\s+(.+)", text)
        try:
            if found is None or found.group(1) not in sides or found.group(2) not in sides:
                raise ValueProblem(text, f"“{units.short(text)}” names no two of {', '.join(sides)}.", "")
            value = units.to_si(found.group(3), "thermal resistance", r.names)
            if value <= 0 or found.group(1) == found.group(2):
                raise ValueProblem(text, f"“{units.short(text)}” is no resistance between two nodes.", "")
        except ValueProblem as error:
            r.note(row, "network", error.what, "Write junction case 0.9; junction board 4.6; case board 80.")
            return ()
        one, other = sides[found.group(1)], sides[found.group(2)]
        out += [(a, b, value * len(one) * len(other)) for a in one for b in other if a != b]
    if not out:
        return ()
    reached, grew = {"junction"}, True
    while grew:
        more = {b for a, b, _ in out if a in reached} | {a for a, b, _ in out if b in reached}
        grew, reached = not more <= reached, reached | more
    loose = {x for a, b, _ in out for x in (a, b)} - reached
    if loose or len(reached) < 2:
        r.note(
            row,
            "network",
            f"does not join {', '.join(sorted(loose)) or 'anything'} to the junction.",
            "Give a resistance from the junction to every node, or by way of another.",
        )
        return ()
    if len(out) > MOST_LINKS:
        r.note(row, "network", f"has {len(out)} resistances.", f"Give {MOST_LINKS} at most.")
        return ()
    return tuple(out)


register(Component, "Components", ("solid", "box"), read=read, draws=watched, place=on_floor)
