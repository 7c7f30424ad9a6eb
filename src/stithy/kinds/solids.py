"""What all solids share: material, heat load, profile in time, and the object of the model that they become."""

from __future__ import annotations

from typing import Any

from ..errors import StithyError, ValueProblem
from ..model import Passage, Solid
from ..project import library, units
from ..project.kind import Row
from ..project.reader import Reader
from ..shapes import makers
from ..shapes.geometry import Box, Form
from ..shapes.solids import material_volume, surface_area
from . import finishes


def material(r: Reader, row) -> tuple[library.Material, tuple[float, float, float], tuple | None]:
    """The row's solid, its conductivity along x, y, z, and how that changes: rows of temperature (K) and ratio, or
    None.

    The project's own materials come before the library's.
    """
    own: dict[str, Any] = {x.name: x for x in r.of("material")}
    name = row.material.strip()
    if name not in own:
        known = library.materials()
        m = known[r.choice(row, "material", [*own, *known], "aluminium")]
        if m.by_temperature and r.surroundings is not None:
            at, k_at = zip(*m.by_temperature, strict=True)
            here = interpolate(r.surroundings.ambient, at, k_at)
            return m, (here,) * 3, tuple((t, x / here) for t, x in m.by_temperature)
        return m, (m.k,) * 3, None
    f, table = own[name], None
    if ":" in f.conductivity:
        k, table = _conductivity_table(r, f)
    elif len(units.split(f.conductivity)) == 3:
        k = r.vector(f, "conductivity", "conductivity", 3, 1.0, above=0.0)
    else:
        k = (r.value(f, "conductivity", "conductivity", 1.0, above=0.0),) * 3
    return (
        library.Material(
            name,
            max(k),
            min(k),
            r.value(f, "density", "density", 1.0, above=0.0),
            r.value(f, "heat_capacity", "specific heat", 1.0, above=0.0),
            "#9AA79B",
        ),
        k,
        table,
    )


def _in_layers(m: library.Material, k, size) -> tuple[float, float, float]:
    """Conductivity of what a material of the library with layers makes: they lie across its thinnest side."""
    if m.k_through == m.k or m.name not in library.materials():
        return k
    thin = min(range(3), key=lambda a: size[a])
    return tuple(m.k_through if a == thin else m.k for a in range(3))  # type: ignore[return-value]


def _conductivity_table(r: Reader, row):
    """Conductivity at ambient temperature, and the table of its ratio to that."""
    try:
        points = [
            (units.to_si(t, "temperature", r.names), units.to_si(k, "conductivity", r.names))
            for t, k in (p.split(":") for p in row.conductivity.split(";") if p.strip())
        ]
        if any(b[0] <= a[0] for a, b in zip(points, points[1:], strict=False)) or min(k for _, k in points) <= 0:
            raise ValueError("temperatures must rise, and conductivities be above 0")
    except (ValueError, ValueProblem) as error:
        r.note(
            row,
            "conductivity",
            f"“{row.conductivity}” cannot be read ({error}).",
            "Write 20 degC: 200 W/m/K; 100 degC: 185 W/m/K.",
        )
        return (1.0,) * 3, None
    at, k = zip(*points, strict=True)
    reference = interpolate(r.surroundings.ambient, at, k)
    return (reference,) * 3, tuple((t, x / reference) for t, x in points)


def interpolate(x: float, at, values) -> float:
    """Linear between points, level beyond them."""
    for (a, b), (u, v) in zip(zip(at, at[1:], strict=False), zip(values, values[1:], strict=False), strict=True):
        if x < b:
            return u + (v - u) * max(x - a, 0.0) / (b - a)
    return values[-1]


def power(r: Reader, row, volume: float, surface: float) -> tuple[float, float | None]:
    """Heat load (W) and held temperature (K or None) of a solid's cell: W, W/m3, W/m2 or a temperature."""
    try:
        kind = units.dimension_of(row.text("power"), ("power", "heat density", "heat flux", "temperature"), r.names)
    except (ValueProblem, StithyError):
        return r.value(row, "power", "power", 0.0), None
    value = r.value(row, "power", kind, 293.15)
    if kind == "temperature":
        return 0.0, value
    return value * {"power": 1.0, "heat density": volume, "heat flux": surface}[kind], None


def profile(r: Reader, row) -> tuple[tuple[float, float], ...]:
    """Share of the load in time: points (s, share); a duty cycle becomes ("on", seconds), ("off", seconds) as two
    negative times."""
    text = row.text("profile")
    if not text:
        return ()
    try:
        if text.startswith("on"):
            on, off = (part.strip() for part in text.split(","))
            lasts = units.to_si(on[2:], "time", r.names), units.to_si(off[3:], "time", r.names)
            if not (on.startswith("on") and off.startswith("off")) or min(lasts) <= 0.0:
                raise ValueError("both times must be above 0 s")
            return ((-lasts[0], 1.0), (-lasts[1], 0.0))
        points = tuple(
            (units.to_si(t, "time", r.names), units.to_si(x, "ratio", r.names))
            for t, x in (p.split(":") for p in text.split(";"))
        )
    except (ValueError, ValueProblem) as error:
        r.note(
            row,
            "profile",
            f"“{units.short(text)}” cannot be read ({error}).",
            "Write 0 s: 100 %; 60 s: 20 %, or on 30 s, off 60 s.",
        )
        return ()
    if any(x < 0.0 for _, x in points):
        r.note(row, "profile", "has a share below 0 %.", "Give shares of the load from 0 % on.")
        return ()
    if any(b[0] < a[0] for a, b in zip(points, points[1:], strict=False)) or points[0][0] < 0:
        r.note(row, "profile", "has times that do not rise.", "Give times that rise from 0 s.")
        return ()
    return points


def starts(r: Reader, row) -> float | None:
    """Temperature (K) at the start of a run, or None."""
    return r.value(row, "starts", "temperature", 293.15, above=50.0) if row.text("starts") else None


def roughness(r: Reader, row: Row) -> float:
    """Sand-grain roughness (m) of a row's surface; 0 where it is smooth, or has no such cell."""
    return r.value(row, "roughness", "length", 0.0, least=0.0) if row.text("roughness") else 0.0


def moves(r: Reader, row: Row) -> tuple[float, float, float] | None:
    """Velocity (m/s) of a row's surface; None where it stands."""
    return r.vector(row, "moves", "velocity", 3, 0.0) if row.text("moves") else None


def _made_of_something(r: Reader, row: Row) -> Row:
    """The row, or one of aluminium after a note where a heat load is released in nothing."""
    if row.text("material") or row.text("power") in ("", "0 W", "0"):
        return row
    r.note(
        row,
        "material",
        f"is empty, but a heat load of {row.text('power')} is released in it.",
        "Choose what it is made of, so the heat can leave it.",
    )
    return row.model_copy(update={"material": "aluminium"})


def placed(r: Reader, row) -> tuple[Box, tuple[float, ...]]:
    """Box and size (m) of a row that has a low corner and a size."""
    at = r.vector(row, "at", "length", 3, 0.0)
    size = r.vector(row, "size", "length", 3, 1e-3, above=0.0)
    return makers.box(at, size), size


def boxed(r: Reader, row, boxes: tuple[Box, ...] = (), conductivity=None, **more) -> Solid:
    """The solid of a row with a low corner and a size; ``boxes`` it is made of (none: the whole), ``conductivity`` as a
    function of the library's material and of its own, ``more`` as it stands in :class:`Solid`."""
    row = _made_of_something(r, row)
    m, k, table = material(r, row)
    whole, (x, y, z) = placed(r, row)
    k = conductivity(m, k) if conductivity is not None else _in_layers(m, k, (x, y, z))
    load, fixed = power(r, row, x * y * z, 2 * (x * y + y * z + z * x)) if hasattr(row, "power") else (0.0, None)
    cells = r.whole(row, "cells", 0, 1, 400) if row.text("cells") else 0
    return Solid(
        row.name,
        row.kind,
        boxes or (whole,),
        k,
        m.rho,
        m.cp,
        load,
        cells,
        m.tone,
        fixed,
        profile(r, row),
        table=table,
        starts=starts(r, row),
        rank=rank(r, row),
        roughness=roughness(r, row),
        finish=finishes.finish(r, row, m),
        moves=moves(r, row),
        **more,
    )


def formed(r: Reader, row, form: Form) -> Solid | Passage:
    """The solid of a row whose shape is no box, or the passage it is when it is filled with fluid."""
    if is_passage(row):
        return Passage(row.name, form)
    row = _made_of_something(r, row)
    m, k, table = material(r, row)
    k = _in_layers(m, k, [hi - lo for lo, hi in form.box])
    load, fixed = 0.0, None
    if hasattr(row, "power"):
        load, fixed = power(r, row, material_volume(form), surface_area(form))
    return Solid(
        row.name,
        row.kind,
        (form.box,),
        k,
        m.rho,
        m.cp,
        load,
        0,
        m.tone,
        fixed,
        profile(r, row),
        form=form,
        table=table,
        starts=starts(r, row),
        rank=rank(r, row),
        roughness=roughness(r, row),
        finish=finishes.finish(r, row, m),
    )


def shaped(r: Reader, row, form: Form) -> Solid:
    """As of :func:`formed`, of a row that is never a passage."""
    made = formed(r, row, form)
    assert isinstance(made, Solid)
    return made


def counts(r: Reader, row: Row, key: str, example: str, most: int) -> tuple[int, int] | None:
    """Two whole numbers from 1 to ``most`` in a cell; None after a note."""
    parts = units.split(row.text(key))
    if len(parts) == 2 and all(p.isascii() and p.isdigit() and len(p) < 4 and 0 < int(p) <= most for p in parts):
        return int(parts[0]), int(parts[1])
    r.note(row, key, f"“{units.short(row.text(key))}” is not two whole numbers.", f"Write it like {example}.")
    return None


def rank(r: Reader, row: Row) -> int:
    """What decides first who is there where solids overlap."""
    return r.whole(row, "order", 0, -99, 99) if row.text("order") else 0


def is_passage(row) -> bool:
    """Whether a row is filled with fluid."""
    return row.text("material") == "fluid"
