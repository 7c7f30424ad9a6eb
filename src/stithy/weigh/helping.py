"""What would help: for every limit, what small changes of loads, materials, contacts, films, fans and flows bring.

Those that leave the flow alone are worked out with it held (:mod:`solve.sensitivity`); those that move it are runs,
each begun from the layout's own fields and kept like points of a study.
"""

from __future__ import annotations

import json
from collections.abc import Callable
from contextlib import suppress
from dataclasses import asdict, dataclass, replace
from pathlib import Path

from ..errors import StithyError
from ..kinds.assembly import resolve
from ..kinds.dials import dial
from ..mesh.build import predict
from ..model.studies import Sweep, Varied
from ..project.document import Document
from ..project.files import write_atomic
from ..solution import store
from ..solve.sensitivity import effects
from . import record
from .compare import Standing, standing
from .points import Point, point_of, standing_of
from .pool import Pool, at_once
from .sweeping import Course, solve_points

Tell = Callable[[int, int], bool | None]
#: cells that move the flow, and by how much they are changed
MOVES, BY = ("speed", "flow"), 0.1
#: changes of the flow looked at
MOST = 4
#: smallest change (K) that is told, as the band of a run from the same fields
LEAST = 0.05
#: part of a change that holding the layers at walls may cost
HELD = 0.02


@dataclass(frozen=True)
class Help:
    """A change of a ``row`` in words (``what``), what it ``moves`` every limit's temperature by (K, by the name of the
    limit), the ``band`` of each, and whether it was ``run`` or worked out with the flow held."""

    row: str
    what: str
    moves: dict[str, float]
    band: dict[str, float]
    run: bool


def helps(document: Document, project: Path, layout: str, tell: Tell | None = None) -> list[Help]:
    """All changes that were looked at for a layout's limits on temperature, the most help to the worst limit first;
    kept beside its result. Raises StithyError where it has no result that belongs to it, or no such limit."""
    now = standing(document, project, layout)
    names = {m.bound.name: m.bound.of for m in now.margins if m.bound.measured == "temperature" and not m.bound.least}
    parts = {n: of for n, of in names.items() if of in (now.summary or {"parts": {}})["parts"]}
    if now.state != "current" or now.summary is None:
        raise StithyError(f"The layout “{layout}” has no result that belongs to it. Solve it first.")
    if not parts:
        raise StithyError(f"The layout “{layout}” has no limit on the temperature of a part. Give a component a limit.")
    known = kept(project, now)
    if known is not None:
        return known
    movers = _movers(document, layout)
    out: list[Help] = []

    def told(done: int, of: int) -> bool:
        return not tell or tell(done, of + len(movers)) is not False

    for e in effects(document, project, layout, told):
        moves = {n: e.moves[of] for n, of in parts.items() if of in e.moves}
        band = {n: max(max(e.doubt, HELD) * abs(x), LEAST) for n, x in moves.items()}
        out.append(Help(e.row, e.what, moves, band, False))
    out += _run(document, project, layout, now, movers, parts, tell, len(out))
    worst = now.worst.bound.name if now.worst is not None and now.worst.bound.name in parts else next(iter(parts))
    out.sort(key=lambda h: h.moves.get(worst, 0.0))
    _keep(project, now, out)
    return out


def _movers(document: Document, layout: str) -> list[tuple[str, str, str, str]]:
    """Cells that move the flow: row, key, what they would say, and that in words."""
    out = []
    for row in document.listed(layout):
        for key in MOVES:
            found = dial(row, key) if row.text(key) else None
            if found is not None and found.value > 0.0:
                out.append((row.name, key, found.text((1.0 + BY) * found.value), f"{found.title} {BY:+.0%}"))
    return out[:MOST]


def _run(
    document: Document,
    project: Path,
    layout: str,
    now: Standing,
    movers: list,
    parts: dict,
    tell: Tell | None,
    done: int,
) -> list[Help]:
    """What the changes that move the flow do, each by a run of its own."""
    points: list[tuple[Point, Sweep, str, str]] = []
    for row, key, text, words in movers:
        study = Sweep("What would help", layout, (Varied(f"{row}, {key}", row, key, (text,)),))
        point = point_of(document, study, len(points) + 1, (text,))
        if point.key:
            points.append((point, study, row, words))
    if not points:
        return []
    start = store.load(project, layout, now.summary["key"] if now.summary else "")
    model = resolve(document, layout)
    out = []
    with Pool(min(at_once(predict(model)[2]), len(points))) as pool:

        def told(course: Course) -> bool:
            return not tell or tell(done + course.done, done + len(points)) is not False

        sweep = Sweep("What would help", layout, ())
        solve_points(sweep, [_plain(p) for p, *_ in points], project, pool, told, given=start)
    for point, study, row, words in points:
        s = standing_of(point, study, project)
        if s.state != "current":
            continue
        moves, band = {}, {}
        for name in parts:
            a, b = (next((m for m in x.margins if m.bound.name == name), None) for x in (now, s))
            if a is not None and b is not None and a.on_grid is not None and b.on_grid is not None:
                moves[name] = b.on_grid - a.on_grid
                band[name] = max(0.1 * abs(moves[name]), 2 * LEAST)
        out.append(Help(row, words, moves, band, True))
    return out


def _plain(point: Point) -> Point:
    """The point without its values, for a study that varies nothing."""
    return replace(point, values=(), base=point.document, study=None)


def _file(project: Path, s: Standing) -> Path:
    assert s.summary is not None
    return project / record.FOLDER / f".helps-{s.summary['key']}.json"


def kept(project: Path, s: Standing) -> list[Help] | None:
    """What was worked out for a result before; None where nothing was, or it was of another state of it."""
    if s.summary is None:
        return None
    with suppress(OSError, ValueError, TypeError, KeyError, RecursionError):
        data = json.loads(_file(project, s).read_text(encoding="utf-8"))
        names = {m.bound.name for m in s.margins}
        if data["of"] == s.summary.get("digest", "") and all(set(x["moves"]) <= names for x in data["helps"]):
            return [Help(**x) for x in data["helps"]]
    return None


def _keep(project: Path, s: Standing, found: list[Help]) -> None:
    assert s.summary is not None
    with suppress(OSError):
        (project / record.FOLDER).mkdir(exist_ok=True)
        data = {"of": s.summary.get("digest", ""), "helps": [asdict(h) for h in found]}
        write_atomic(_file(project, s), json.dumps(data).encode())
