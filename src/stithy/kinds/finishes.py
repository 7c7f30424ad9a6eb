"""Which finish a row's surface has, and whether surfaces radiate at all."""

from __future__ import annotations

from typing import Any

from ..errors import ValueProblem
from ..model import BLACKENED, Finish
from ..project import library, units
from ..project.kind import Row
from ..project.reader import Reader

#: what the cell of the surroundings may say
RISING, SURFACES, NONE = "where a gas rises", "surfaces", "none"
RADIATION = (RISING, SURFACES, NONE)
#: kg/m3 above which a fluid is no gas; W/m/K above which a solid of the project's own is taken for a bare metal
LIQUID, METAL = 50.0, 10.0
BARE = Finish(0.15, 0.3)


def finish(r: Reader, row: Row, material: library.Material | None = None) -> Finish:
    """The finish of a row's surface; the default where nothing radiates, so that nothing depends on it."""
    if r.surroundings is None or not r.surroundings.radiation:  # None: only shapes are read
        if row.text("finish"):
            _read(r, row, row.text("finish"))  # so that a slip is told all the same
        return BLACKENED
    if row.text("finish"):
        return _read(r, row, row.text("finish"))
    return of_material(r, material) if material is not None else BLACKENED


def of_material(r: Reader, material: library.Material) -> Finish:
    """How a material's surface radiates as it comes."""
    if material.finish:
        known = library.finishes()
        if material.finish in known:
            return Finish(*known[material.finish])
    own: dict[str, Any] = {x.name: x for x in r.of("material")}
    row = own.get(material.name)
    if row is not None and row.text("finish"):
        return _read(r, row, row.text("finish"))
    return BARE if material.k > METAL else BLACKENED


def outside(r: Reader, row: Row) -> Finish:
    """The finish of the outer side of a row: what it says, or as its material comes; whether or not surfaces radiate to
    each other."""
    if row.text("finish"):
        return _read(r, row, row.text("finish"))
    known = library.materials()
    name = "" if _mere(r, row) else row.text("material")
    if name in {x.name for x in r.of("material")}:
        made = next(x for x in r.of("material") if x.name == name)
        return _read(r, made, made.text("finish")) if made.text("finish") else BLACKENED
    return of_material(r, known[name]) if name in known else BLACKENED


def _mere(r: Reader, row: Row) -> bool:
    """Whether an enclosure's walls are a mere boundary, made of nothing."""
    try:
        return bool(row.text("wall")) and units.to_si(row.text("wall"), "length", r.names) == 0.0
    except ValueProblem:
        return False  # told where it is read


def own(r: Reader, row: Row) -> Finish | None:
    """The finish that a row's cell names; None where it is empty, or nothing radiates."""
    found = finish(r, row)
    return found if row.text("finish") and r.surroundings is not None and r.surroundings.radiation else None


def _read(r: Reader, row: Row, text: str) -> Finish:
    rows = {x.name: x for x in r.of("finish")}
    if text in rows:
        e = _share(r, rows[text], "emissivity", 0.9)
        return Finish(e, _share(r, rows[text], "absorptivity", e))
    known = library.finishes()
    if text in known:
        return Finish(*known[text])
    try:
        e = units.to_si(text, "ratio", r.names)
    except ValueProblem:
        r.note(
            row,
            "finish",
            f"“{units.short(text)}” is no finish.",
            f"Write an emissivity from 0 to 1, or one of: {', '.join([*rows, *known])}.",
        )
        return BLACKENED
    return Finish(_bounded(r, row, "finish", e), _bounded(r, row, "finish", e))


def _share(r: Reader, row: Row, key: str, fallback: float) -> float:
    return _bounded(r, row, key, r.maybe(row, key, "ratio", fallback))


def _bounded(r: Reader, row: Row, key: str, x: float) -> float:
    if 0.0 <= x <= 1.0:
        return x
    r.note(row, key, f"comes to {x:.4g}.", "An emissivity lies between 0 (a mirror) and 1 (black).")
    return 0.9


def radiates(r: Reader, row: Row, gravity) -> bool:
    """Whether surfaces radiate to each other: as the row says, by itself where a gas can rise."""
    choice = r.choice(row, "radiation", RADIATION, RISING)
    if choice != RISING:
        return choice == SURFACES
    return any(gravity) and any(_rises(r, x.text("fluid")) for x in (*r.of("enclosure"), *r.of("fluid region")))


def _rises(r: Reader, name: str) -> bool:
    """Whether a fluid is a gas that gets lighter when warm."""
    rows = {x.name: x for x in r.of("fluid")}
    if name in rows:
        try:
            light = units.to_si(rows[name].text("density"), "density", r.names) < LIQUID
            return light and units.to_si(rows[name].text("expansion"), "expansion", r.names) > 0.0
        except ValueProblem:
            return False  # told where it is read
    return name in ("", "air")
