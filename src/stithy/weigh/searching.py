"""A search that runs: proposals are solved as they come, and what they came to leads to the next."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Callable
from contextlib import suppress
from dataclasses import dataclass, field
from pathlib import Path

import numpy as np

from ..errors import StithyError
from ..model.studies import Search
from ..project.document import Document
from ..project.files import write_atomic
from . import record
from .compare import Standing
from .points import Point, point_of, standing_of
from .pool import Pool
from .seeker import Seeker
from .sweeping import Course, solve_points

PROPOSED = ".proposed.json"


@dataclass
class Found:
    """What a search has come to: ``runs`` so far, the ``best`` point with all limits met for sure or within its band
    (None yet), what each variable ``matters``, and why it ``ended``."""

    runs: int = 0
    best: Point | None = None
    best_value: float = float("nan")
    matters: dict[str, float] = field(default_factory=dict)
    ended: str = ""
    course: Course = field(default_factory=lambda: Course(0))


def goal_of(s: Standing, name: str) -> float:
    """The number that a goal names (SI); nan where a standing has none. The worst margin is the part of its way that
    is left."""
    if s.summary is None or s.state != "current":
        return float("nan")
    if name == "mass":
        return s.mass if s.mass is not None else float("nan")
    if name == "fan power":
        return s.fan_power
    if name == "worst margin":
        return 1.0 - s.worst.share if s.worst is not None else float("nan")
    found = next((x for x in s.watches if x.watch.name == name), None)
    return found.banded.value if found is not None and found.banded is not None else float("nan")


def run_search(
    document: Document, study: Search, project: Path, pool: Pool, tell: Callable[[Found], bool | None] | None = None
) -> Found:
    """Propose, solve and learn until the runs are used up, nothing better is likely, or ``tell`` returns False. The
    same search of the same document takes up where it was. Raises StithyError for a goal that no run changes."""
    seeker, keys, found = Seeker(study.variables), record.Keys(project), Found()
    points: list[Point] = []
    goes = True

    def told(course: Course) -> bool:
        nonlocal goes
        found.course = course
        found.course.all, found.course.done = study.runs, found.runs + course.done
        goes = not tell or tell(found) is not False
        return goes

    while len(points) < study.runs and goes:
        batch = seeker.propose(min(max(pool.workers, 1), study.runs - len(points)))
        if not batch or (seeker.over and not study.second):
            found.ended = "nothing better is likely" if batch else "there is nothing else to try"
            break
        made = [point_of(document, study, len(points) + m + 1, v, keys) for m, v in enumerate(batch)]
        points += made
        _keep(project, study, [p.values for p in points])
        solve_points(study, made, project, pool, told, near=points)
        if not goes:
            found.ended = "stopped"
            break
        for p in made:
            s = standing_of(p, study, project)
            goals, margins = judged(s, study)
            seeker.tell(p.values, goals, margins)
            _best(found, p, s, study)
        found.runs = len(points)
        found.matters = seeker.matters()
        _check(seeker, study)
        if tell and tell(found) is False:
            found.ended = "stopped"
            break
    found.ended = found.ended or "all runs are used up"
    keys.save()
    return found


def judged(s: Standing, study: Search) -> tuple[list[float] | None, list[float]]:
    """Goals (the less the better; None where the point failed) and margins of a standing, in parts of the way to the
    limit."""
    goals = [goal_of(s, study.goal) * (-1.0 if study.most else 1.0)]
    if study.second:
        goals.append(goal_of(s, study.second) * (-1.0 if study.second_most else 1.0))
    margins = [1.0 - m.share for m in sorted(s.margins, key=lambda m: m.bound.name)]
    return (goals if np.isfinite(goals).all() else None), margins


def _best(found: Found, p: Point, s: Standing, study: Search) -> None:
    goals, margins = judged(s, study)
    if goals is None or min(margins, default=0.0) < 0.0:
        return
    if found.best is None or goals[0] < (-found.best_value if study.most else found.best_value):
        found.best, found.best_value = p, -goals[0] if study.most else goals[0]


def _check(seeker: Seeker, study: Search) -> None:
    """Raises StithyError where the points that spread over all ways have one and the same goal."""
    goals = np.array([g[0] for g in seeker.seen.goals if np.isfinite(g).all()])
    if len(goals) >= seeker.begins and np.ptp(goals) <= 1e-9 * max(np.abs(goals).max(), 1e-12):
        raise StithyError(
            f"{study.name}: {study.goal} is the same in all of {len(goals)} runs: nothing that is varied changes it. "
            "Choose another goal, or vary something else."
        )


def _name(study: Search) -> str:
    """What the proposals of a search are kept under: whatever else it says than how many runs."""
    return hashlib.sha256(repr((study.of, study.variables, study.goal, study.second)).encode()).hexdigest()[:16]


def _keep(project: Path, study: Search, values: list[tuple[str, ...]]) -> None:
    with suppress(OSError):
        (project / record.FOLDER).mkdir(exist_ok=True)
        data = _kept(project) | {_name(study): [list(v) for v in values]}
        write_atomic(project / record.FOLDER / PROPOSED, json.dumps(data).encode())


def _kept(project: Path) -> dict:
    try:
        data = json.loads((project / record.FOLDER / PROPOSED).read_text(encoding="utf-8"))
        return data if isinstance(data, dict) else {}
    except (OSError, ValueError, RecursionError):
        return {}


def proposed(document: Document, study: Search, project: Path | None, keys: record.Keys) -> list[Point]:
    """The points that a search has proposed so far."""
    found = _kept(project).get(_name(study), []) if project is not None else []
    good = [v for v in found if isinstance(v, list) and len(v) == len(study.variables)]
    out = [point_of(document, study, m + 1, tuple(map(str, v)), keys) for m, v in enumerate(good)]
    keys.save()
    return out
