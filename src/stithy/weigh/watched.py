"""Watches of stored results: worked out once from the fields, then kept beside them."""

from __future__ import annotations

import hashlib
import re
from pathlib import Path

from ..kinds import drawing
from ..model.drawn import Line, Section, Watch
from ..project.document import Document
from ..read.band import Banded
from ..read.hand import Hand
from ..read.watches import Watched, from_summary, of_whole, watched
from ..solution import store
from ..solution.solution import Solution


def watched_of(
    document: Document, project: Path | None, layout: str, summary: dict | None, times: float = 1.0
) -> list[Watched]:
    """What the watches of a layout came to in its stored result, whose ``summary`` is given (None: it has none); for
    the whole that has ``times`` of the piece that was solved."""
    rows, _ = drawing.drawn(document, layout)
    watches = [x for x in rows if isinstance(x, Watch)]
    if summary is None or project is None:
        plain = {"=": "ratio"}  # of a formula it shows only with its values
        return [Watched(w, None, plain.get(w.dimension, w.dimension), None, "No result yet.") for w in watches]
    own = [w for w in watches if w.of == (w.name,)]  # limits of components: they need no fields, and there may be many
    told = {w.name: x for w in own if (x := from_summary(w, summary)) is not None}
    parts = summary["parts"]
    told |= {w.name: _absent(w) for w in own if w.name not in told and w.name not in parts}
    if len(told) < len(watches):
        rest = [w for w in watches if w.name not in told]
        told |= {x.watch.name: x for x in _kept_or_read(project, layout, summary, rows, watches, rest)}
    return [of_whole(told[w.name], times) for w in watches if w.name in told]


def worked(document: Document, layout: str, solution: Solution) -> dict[str, dict]:
    """All watches of a layout worked out from a solution, in the form that is kept beside results."""
    rows, _ = drawing.drawn(document, layout)
    watches = [x for x in rows if isinstance(x, Watch)]
    aside = [x for x in rows if isinstance(x, Section | Line)]
    return {_digest(x.watch, watches, aside): _plain(x) for x in watched(solution, rows)}


def from_kept(rows: list, summary: dict, kept: dict, times: float = 1.0) -> list[Watched]:
    """The watches among drawn ``rows`` from a summary and what :func:`worked` gave."""
    watches = [x for x in rows if isinstance(x, Watch)]
    aside = [x for x in rows if isinstance(x, Section | Line)]
    out = []
    for w in watches:
        found = kept.get(_digest(w, watches, aside))
        dry = from_summary(w, summary) if found is None else None
        lost = Watched(w, None, w.dimension, None, f"{w.name}: it was added after this was solved.")
        out.append(of_whole(_again(w, found) if found is not None else dry or lost, times))
    return out


def _absent(w: Watch) -> Watched:
    """The limit of a component that was added after the result."""
    return Watched(w, None, w.dimension, None, f"{w.name}: “{w.name}” is not in this result. Press Run.")


def _kept_or_read(
    project: Path, layout: str, summary: dict, rows: list, watches: list[Watch], wanted: list[Watch]
) -> list[Watched]:
    """The watches that are wanted from what was worked out before, or from the fields; empty when these are gone."""
    aside = [x for x in rows if isinstance(x, Section | Line)]
    keys = {w.name: _digest(w, watches, aside) for w in watches}
    kept = store.worked_out(project, summary["key"])
    if all(keys[w.name] in kept for w in wanted):
        return [_again(w, kept[keys[w.name]]) for w in wanted]
    solution = store.load(project, layout, summary["key"])
    if solution is None:
        return []
    found = watched(solution, rows)
    store.keep_worked_out(project, summary["key"], {keys[x.watch.name]: _plain(x) for x in found})
    return found


def _digest(w: Watch, watches: list[Watch], aside: list) -> str:
    """What a watch's number hangs on, but for its bounds: its row, those of sections and lines, and of a formula all
    watches."""
    text = repr((w.name, w.quantity, w.of, w.points, w.measure, w.references))
    text += repr([(x.__dict__ | {"on": True, "paint": None}) for x in aside if x.name in w.of])
    if w.dimension == "=":
        named = [x for x in watches if re.sub(r"\W+", "_", x.name) in w.quantity or x.name in w.quantity]
        text += repr([(x.name, x.quantity, x.of, x.points, x.measure, x.references) for x in named])
    return hashlib.sha256(text.encode()).hexdigest()[:16]


def _plain(x: Watched) -> dict:
    b = x.banded
    return {
        "value": b and b.value,
        "band": b and b.band,
        "on_grid": b and b.on_grid,
        "dimension": x.dimension,
        "place": x.place and list(x.place),
        "fault": x.fault,
        "hand": x.hand and [x.hand.value, x.hand.low, x.hand.high, x.hand.what],
    }


def _again(w: Watch, d: dict) -> Watched:
    banded = Banded(d["value"], d["band"], d["on_grid"]) if d["value"] is not None else None
    hand = Hand(*d["hand"]) if d.get("hand") else None
    return Watched(w, banded, d["dimension"], tuple(d["place"]) if d["place"] else None, d["fault"], hand)
