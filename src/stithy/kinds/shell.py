"""A round shell with nozzles and baffles, and tubes through it."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated, Literal

import numpy as np

from ..model import Solid
from ..project.kind import SHAPE, Cell, Row, Text, register
from ..project.reader import Reader
from ..shapes import built
from . import solids
from .cells import AXES, CellsAcross, EndCentre, Material, Order, Power, Profile, Roughness, Starts, SurfaceFinish
from .place import on_floor

Tubes = Annotated[Text, Cell("tubes", SHAPE, "how many, 1 to 19")]
TubeSizes = Annotated[Text, Cell("tube", SHAPE, "outer and inner diameter")]


class Shell(Row):
    """A round shell closed at both ends, entered by a nozzle on its upper side near one end and left by one on its
    lower side near the other; it has room for tubes that pass right through it (a tube bundle), and baffles of
    segments, their windows above and below by turns, lead what is in the shell across them. ``at`` is the centre of its
    end nearest the origin."""

    kind: Literal["shell"] = "shell"
    at: EndCentre = "0, 30, 40 mm"
    along: Annotated[Text, Cell("along", SHAPE, "direction of its axis", AXES[:2])] = "x"
    length: Annotated[Text, Cell("length", SHAPE, "of the shell", columns=("size",))] = "200 mm"
    diameter: Annotated[Text, Cell("diameter", SHAPE, "inside")] = "50 mm"
    wall: Annotated[Text, Cell("wall", SHAPE, "thickness of shell, ends and nozzles")] = "3 mm"
    nozzle: Annotated[Text, Cell("nozzle", SHAPE, "inner diameter, and how far it stands out")] = "12, 12 mm"
    baffles: Annotated[Text, Cell("baffles", SHAPE, "how many")] = "2"
    window: Annotated[Text, Cell("window", SHAPE, "open part of the shell's diameter beside a baffle")] = "30 %"
    baffle: Annotated[Text, Cell("baffle", SHAPE, "thickness of one")] = "2 mm"
    tubes: Tubes = "1"
    tube: TubeSizes = "14, 12 mm"
    material: Material = "stainless steel"
    power: Power = "0 W"
    profile: Profile = ""
    starts: Starts = ""
    finish: SurfaceFinish = ""
    order: Order = ""
    roughness: Roughness = ""
    cells: CellsAcross = ""


@dataclass(frozen=True)
class _Sizes:
    """Lengths (m) of a shell; ``centres``: of its tubes beside its axis; ``axis`` number."""

    at: tuple[float, ...]
    axis: int
    length: float
    radius: float
    wall: float
    nozzle: float
    stands: float
    baffles: int
    window: float
    baffle: float
    centres: tuple[tuple[float, float], ...]
    outer: float


class TubeBundle(Row):
    """Round tubes about one axis, as a shell has room for them; ``at`` is the centre of their end nearest the
    origin."""

    kind: Literal["tube bundle"] = "tube bundle"
    at: EndCentre = "0, 30, 40 mm"
    along: Annotated[Text, Cell("along", SHAPE, "direction of its axis", AXES)] = "x"
    length: Annotated[Text, Cell("length", SHAPE, "of the tubes", columns=("size",))] = "200 mm"
    tubes: Tubes = "1"
    tube: TubeSizes = "14, 12 mm"
    material: Material = "copper"
    power: Power = "0 W"
    profile: Profile = ""
    starts: Starts = ""
    finish: SurfaceFinish = ""
    order: Order = "1"
    roughness: Roughness = ""
    cells: CellsAcross = ""


def read(r: Reader, row: Shell) -> Solid:
    """The shell with its baffles."""
    sizes = _sizes(r, row)
    return solids.shaped(r, row, built.kept(("shell", sizes), lambda: _shell(sizes), _rounds(sizes)))


def read_bundle(r: Reader, row: TubeBundle) -> Solid:
    """The tubes as one solid."""
    at = tuple(r.vector(row, "at", "length", 3, 0.0))
    axis = AXES.index(r.choice(row, "along", AXES, "x"))
    length = r.value(row, "length", "length", 0.1, above=0.0)
    outer, inner, centres = _tube_sizes(r, row)
    key = ("bundle", at, axis, length, outer, inner, centres)
    return solids.shaped(r, row, built.kept(key, lambda: _tubes(*key[1:])))


def _tube_sizes(r: Reader, row: Row) -> tuple[float, float, tuple[tuple[float, float], ...]]:
    """Outer and inner radius (m) of tubes, and their middles beside the axis."""
    count = r.whole(row, "tubes", 1, 1, 19)
    outer, inner = r.vector(row, "tube", "length", 2, 0.01, above=0.0)
    if inner >= outer:
        r.note(row, "tube", f"“{row.text('tube')}” has no wall.", f"The inner diameter is below {1e3 * outer:.3g} mm.")
        inner = 0.8 * outer
    return 0.5 * outer, 0.5 * inner, pattern(count, 1.25 * outer)


def pattern(count: int, pitch: float) -> tuple[tuple[float, float], ...]:
    """Middles (m) of so many tubes about an axis, ``pitch`` apart: one, rings of six and twelve."""
    places = [(0.0, 0.0)] if count in (1, 7, 19) else []
    rings = {1: (), 7: (6,), 19: (6, 12)}.get(count)
    left = count - len(places)
    if rings is None:
        rings = (left,) if left <= 6 else (6, left - 6)
    for m, n in enumerate(rings):
        reach = max((m + 1) * pitch, pitch / (2 * np.sin(np.pi / n)) if n > 1 else 0.0)
        turn = 2 * np.pi * (np.arange(n) + (0.5 if n == 2 else 0.0)) / n
        places += [(float(reach * np.cos(t)), float(reach * np.sin(t))) for t in turn]
    return tuple((round(a, 9), round(b, 9)) for a, b in places)


def _sizes(r: Reader, row: Shell) -> _Sizes:
    at = r.vector(row, "at", "length", 3, 0.0)
    axis = AXES.index(r.choice(row, "along", AXES[:2], "x"))
    length = r.value(row, "length", "length", 0.1, above=0.0)
    radius = 0.5 * r.value(row, "diameter", "length", 0.05, above=0.0)
    wall = r.value(row, "wall", "length", 1e-3, above=0.0)
    nozzle, stands = r.vector(row, "nozzle", "length", 2, 0.01, above=0.0)
    count = r.whole(row, "baffles", 0, 0, 50)
    window = r.value(row, "window", "ratio", 0.3, least=0.1, most=0.45)
    baffle = r.value(row, "baffle", "length", 1e-3, above=0.0)
    outer, _, centres = _tube_sizes(r, row)
    reach = max(float(np.hypot(*c)) for c in centres) + outer
    if reach >= radius:
        told = f"The shell needs {2.1e3 * reach:.3g} mm or more."
        r.note(row, "tubes", f"{row.tubes} of “{row.tube}” do not fit in.", told)
        centres, outer = ((0.0, 0.0),), 0.5 * radius
    if count * baffle >= length - 4 * wall - 2 * nozzle:
        room = length - 4 * wall - 2 * nozzle
        r.note(
            row,
            "baffles",
            f"{count} of “{row.baffle}” leave no room.",
            f"At most {max(int(room / baffle / 2), 0)} fit.",
        )
        count = 0
    if nozzle >= 2 * radius or length <= 2 * (nozzle + 3 * wall):
        r.note(row, "nozzle", f"“{row.nozzle}” is wider than the shell.", f"Less than {2e3 * radius:.3g} mm.")
        nozzle = 0.3 * min(radius, length / 4)
    return _Sizes(tuple(at), axis, length, radius, wall, 0.5 * nozzle, stands, count, window, baffle, centres, outer)


def _rounds(s: _Sizes) -> list:
    """Boxes around shell, nozzles and tubes, and their inner diameters."""
    out = []
    a, b = (s.at[t] for t in range(3) if t != s.axis)
    span = s.at[s.axis], s.at[s.axis] + s.length
    for (p, q), reach in (((0.0, 0.0), s.radius), *((c, s.outer) for c in s.centres)):
        out.append((built.around(s.axis, (a + p, b + q), span, 2 * reach), 2 * reach))
    far = s.radius + s.wall + s.stands
    for at, sign in _nozzles_at(s):
        centre = [s.at[0], s.at[1]]
        centre[s.axis] += at
        ends = sorted((s.at[2], s.at[2] + sign * far))
        out.append((built.around(2, centre, ends, 2 * s.nozzle), 2 * s.nozzle))
    return out


def _nozzles_at(s: _Sizes) -> tuple[tuple[float, float], ...]:
    """Where the nozzles stand (m from the low end), and which way."""
    inset = 2 * s.wall + 1.6 * s.nozzle
    return (inset, 1.0), (s.length - inset, -1.0)


def _along(s: _Sizes, start: float, end: float, radius: float, off=(0.0, 0.0)):
    """A bar along the shell's axis."""
    begin, (a, b) = s.at[s.axis], [s.at[t] for t in range(3) if t != s.axis]
    return built.bar(s.axis, (a + off[0], b + off[1]), (begin + start, begin + end), radius)


def _nozzles(s: _Sizes, radius: float, more: float):
    """Both nozzles as bars, ``more`` beyond their ends: above near the low end, below near the high one."""
    out, far = [], s.radius + s.wall + s.stands
    for at, sign in _nozzles_at(s):
        centre = [s.at[0], s.at[1]]
        centre[s.axis] += at
        ends = sorted((s.at[2], s.at[2] + sign * (far + more)))
        out.append(built.bar(2, centre, ends, radius))
    return out


def _shell(s: _Sizes):
    hull = built.joined([_along(s, 0.0, s.length, s.radius + s.wall), *_nozzles(s, s.nozzle + s.wall, 0.0)])
    hull = hull - _along(s, s.wall, s.length - s.wall, s.radius)
    for way in _nozzles(s, s.nozzle, s.wall):
        hull = hull - (way - _along(s, -s.wall, s.length + s.wall, 0.5 * s.radius))
    parts = [hull]
    for m in range(s.baffles):
        inside = s.length - 2 * s.wall
        at = s.wall + (m + 1) * inside / (s.baffles + 1)
        plate = _along(s, at - s.baffle / 2, at + s.baffle / 2, s.radius + 0.5 * s.wall)
        level = s.at[2] + (1 if m % 2 else -1) * s.radius * (1 - 2 * s.window)
        low, high = (level, level + 1.0) if m % 2 else (level - 1.0, level)
        (x, y) = s.at[:2]
        parts.append(plate - built.block(((x - 1.0, x + 1.0), (y - 1.0, y + 1.0), (low, high))))
    whole = built.joined(parts)
    for c in s.centres:  # room for the tubes
        whole = whole - _along(s, -s.wall, s.length + s.wall, s.outer, c)
    return whole


def _tubes(at, axis: int, length: float, outer: float, inner: float, centres):
    a, b = (at[t] for t in range(3) if t != axis)
    span, through = (at[axis], at[axis] + length), (at[axis] - outer, at[axis] + length + outer)
    return built.joined(
        built.bar(axis, (a + p, b + q), span, outer) - built.bar(axis, (a + p, b + q), through, inner)
        for p, q in centres
    )


register(Shell, "Sinks", ("solid",), read=read, place=on_floor)
register(TubeBundle, "Sinks", ("solid",), read=read_bundle, place=on_floor)
