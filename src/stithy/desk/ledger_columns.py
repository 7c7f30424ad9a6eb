"""Which columns the ledger has in each stage, and what stands in those that are not cells of the document."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ..mesh.gridding import grid_lines
from ..project.kind import GROUPS, KINDS
from ..read import shown
from ..read.band import Bands
from ..read.watches import EXTENSIVE
from ..weigh.limits import FAILS
from .session import Session


@dataclass(frozen=True)
class Column:
    """A column: ``of`` names what cells stand in it (:attr:`Cell.columns`; "name" for the row's own); ``show`` a value
    when there is no cell."""

    title: str
    width: int
    of: str = ""
    show: str = ""
    right: bool = True

    def key_for(self, row) -> str:
        """The document cell under this column for a row, or ""."""
        if row is None or not self.of:
            return ""
        if self.of == "name":
            return "name"
        return next((c.key for c in KINDS[row.kind].cells.values() if self.of in c.columns), "")


#: what stands in a column of small curves
SPARK = "spark"
_NAME = Column("Part", 124, "name", right=False)
_MARGIN = Column("margin", 58, show="margin")
COLUMNS = {
    "Shape": [
        Column("Part", 120, "name", right=False),
        Column("size", 106, "size", show="extent"),
        Column("low corner", 106, "place"),
        Column("material", 112, "material", right=False),
    ],
    "Load": [
        _NAME,
        Column("heat load", 68, "load"),
        Column("flow, outside", 112, "flow"),
        Column("limit, temp.", 78, "limit"),
    ],
    "Grid": [
        _NAME,
        Column("cells across", 90, "cells"),
        Column("finest mm", 74, "finest", show="finest"),
        Column("cells in it", 80, show="inside"),
    ],
    "Run": [
        _NAME,
        Column("now °C", 66, show="now"),
        Column("last result", 114, show="max"),
        Column("limit", 54, show="limit"),
        Column("since start", 64, show=SPARK),
    ],
    "Read": [
        Column("Part", 118, "name", right=False),
        Column("max °C", 88, show="max"),
        Column("mean °C", 88, show="mean"),
        Column("carries", 62, show="carries"),
        Column("margin", 64, show="margin"),
    ],
    "Weigh": [
        Column("Part", 106, "name", right=False),
        Column("max °C", 118, show="max"),
        _MARGIN,
    ],  # the benches need the room, and margins decide
}


_QUANTITY = Column("quantity", 0, "quantity", right=False)
#: columns of groups of rows that have others than their stage's, as many of them; widths are the stage's
GROUPED = {
    ("Read", "Drawn"): [
        Column("Drawn", 0, "name", right=False),
        _QUANTITY,
        Column("place", 0, "where", right=False),
        Column("range", 0, "range"),
        Column("", 0),
    ],
    ("Read", "Watches"): [
        Column("Watches", 0, "name", right=False),
        Column("result", 0, show="watched"),
        Column("", 0),
        Column("by hand", 0, show="hand"),
        Column("margin", 0, show="watch margin"),
    ],
    ("Read", "Openings and fans"): [
        Column("Openings and fans", 0, "name", right=False),
        Column("crosses at", 0, show="crosses"),
        Column("flow", 0, show="flow"),
        Column("inside", 0, show="inside pressure"),
        Column("", 0),
    ],
    ("Grid", "Grid wishes"): [
        Column("Grid wishes", 0, "name", right=False),
        Column("of", 0, "cells"),
        Column("longest cell", 0, "finest"),
        Column("cells across", 0, "inside"),
    ],
    ("Run", "Events"): [
        Column("Events", 0, "name", right=False),
        Column("at", 0, "now"),
        Column("of", 0, "max"),
        Column("says then", 0, "limit"),
        Column("", 0),
    ],
    ("Read", "Views"): [
        Column("Views", 0, "name", right=False),
        Column("shows", 0, "quantity", right=False),
        Column("camera", 0, "where", right=False),
        Column("", 0),
        Column("", 0),
    ],
}
#: groups that a stage shows, where it does not show all that are not its own matter
SHOWN = {
    "Read": (
        "Drawn",
        "Watches",
        "Enclosure",
        "Boards",
        "Components",
        "Sinks",
        "Blocks",
        "Bodies",
        "Openings and fans",
        "Views",
    )
}
_OF_RESULTS = ("Drawn", "Watches", "Views")


def groups_of(stage: str) -> tuple[str, ...]:
    """The groups of rows that a stage shows."""
    if stage in SHOWN:
        return SHOWN[stage]
    hidden = {"Shape": _OF_RESULTS, "Load": ("Drawn", "Views"), "Grid": _OF_RESULTS}.get(stage, ("Drawn", "Views"))
    hidden += () if stage == "Grid" else ("Grid wishes",)
    hidden += () if stage in ("Run", "Load") else ("Events",)
    found = [g for g in GROUPS if g not in hidden]
    if stage == "Load":  # limits come after what they are of
        found.remove("Watches")
        found.insert(found.index("Materials"), "Watches")
    return tuple(found)


def columns_of(stage: str, group: str) -> list[Column]:
    """The columns of a group of rows."""
    return GROUPED.get((stage, group), COLUMNS[stage])


def spacing_of(session: Session, name: str):
    """(smallest width m, cells) of the grid within one solid's bounds, or None."""
    model = session.standing().model
    solid = (
        next((s for s in model.solids if s.name == name), None) if model and not session.standing().problems else None
    )
    if solid is None:
        return None
    grid = _grid(model)
    least, cells = np.inf, 1
    for a in range(3):
        low, high = solid.bounds[a]
        inside = grid.widths[a][(grid.centres[a] > low) & (grid.centres[a] < high)]
        least, cells = min([least, *inside]), cells * len(inside)
    return (least, cells) if cells else None


_GRIDS: dict = {}


def _grid(model):
    key = model.key()
    if key not in _GRIDS:
        _GRIDS.clear()
        _GRIDS[key] = grid_lines(model)
    return _GRIDS[key]


def value_of(session: Session, row, what: str) -> tuple[str, bool]:
    """Text of a value that is not a cell, and whether it breaks its limit."""
    if what in ("", SPARK):
        return "", False
    if what == "extent":
        model = session.standing().model if row.kind == "body" else None
        solid = next((s for s in model.solids if s.name == row.name), None) if model else None
        return (" × ".join(f"{1e3 * (b - a):.4g}" for a, b in solid.bounds) if solid else "", False)
    if what in ("finest", "inside"):
        found = spacing_of(session, row.name)
        if found is None:
            return "", False
        return (f"{found[0] * 1e3:.2f}", False) if what == "finest" else (f"{found[1]:,}".replace(",", " "), False)
    standing = session.standing()
    summary = standing.summary
    if what in ("watched", "hand", "watch margin"):
        return _watch_value(session, row, what)
    if what == "now":
        state = session.run_state
        if row.kind == "watch":
            found = state.followed[-1][1].get(row.name) if state.followed and state.layout == session.layout else None
            watch = next((x for x in session.picture.drawn()[0] if getattr(x, "name", "") == row.name), None)
            if found is None or watch is None:
                return "", False
            return shown.text(found, "ratio" if watch.dimension == "=" else watch.dimension), False
        if state.layout == session.layout and state.history and row.name in state.watches:
            return f"{state.history[-1].watches[state.watches.index(row.name)] - 273.15:.1f}", False
        return "", False
    margin = next((m for m in standing.margins if row.name in (m.bound.name, m.bound.of)), None)
    if what == "limit":
        if margin is None:
            return "", False
        return margin.bound_text(), False
    if summary is None:
        return "", False
    if row.kind == "watch" and what == "max":
        return _watch_value(session, row, "watched")
    if what == "margin":
        if margin is None or margin.margin is None:
            return "", False
        return margin.margin_text("").replace("-", "−"), margin.verdict == FAILS
    return _result_value(summary, row, what), False


def _part_value(summary: dict, name: str, what: str) -> str:
    """A part's temperature with its band."""
    found = Bands(summary).temperature(name, what)
    return found.text(zero=273.15) if found is not None else "dries out"


def _result_value(summary: dict, row, what: str) -> str:
    part, end = summary["parts"].get(row.name), summary["ends"].get(row.name)
    fan = summary["fans"].get(row.name)
    if what == "carries":
        if end:
            return f"{abs(end['mass_flow']) * 1e3:.2f} g/s"
        if fan:
            return f"{fan['volume_flow'] * 3600:.1f} m³/h"
        if row.kind == "enclosure":
            return f"{sum(q for n, q in summary['walls'].items() if n.rpartition(' ')[0] == row.name):.2f} W"
        return f"{part['power']:.1f} W" if part and part["power"] else ""
    if what in ("crosses", "flow", "inside pressure"):
        return _end_value(end, fan, what)
    if part:
        return _part_value(summary, row.name, what)
    return f"{end['temperature'] - 273.15:.1f}" if end and what == "mean" else ""


def _end_value(end: dict | None, fan: dict | None, what: str) -> str:
    """What an opening or a fan shows: temperature crossing, mass flow, pressure inside or rise."""
    if what == "crosses":
        return shown.text(end["temperature"], "temperature") if end else ""
    if what == "flow":
        return (
            shown.text(end["mass_flow"], "mass flow")
            if end
            else shown.text(fan["volume_flow"], "volume flow")
            if fan
            else ""
        )
    return shown.text(end["pressure"], "pressure") if end else shown.text(fan["rise"], "pressure") if fan else ""


def _watch_value(session: Session, row, what: str) -> tuple[str, bool]:
    """What a watch came to, what a hand calculation says of it, or how far it is from its bound."""
    standing = session.standing()
    found = next((x for x in standing.watches if x.watch.name == row.name), None)
    if what == "watch margin":
        margin = next((m for m in standing.margins if m.bound.name == row.name and m.value is not None), None)
        return (margin.margin_text("").replace("-", "−"), margin.verdict == FAILS) if margin else ("", False)
    if found is not None and what == "hand":
        hand = found.hand
        told = shown.text(hand.value, found.dimension, 3, False) if hand and hand.value is not None else "–"
        return (told.replace("-", "−") if hand else ""), False
    if found is None:
        return "", False
    if found.banded is None:
        return "–", False
    return shown.with_band(found.banded.value, found.banded.band, found.dimension).replace("-", "−"), False


def watch_told(session: Session, row) -> str:
    """All that is known of a watch's number, in words."""
    found = next((x for x in session.standing().watches if x.watch.name == row.name), None)
    if found is None:
        return "No result yet."
    if found.banded is None:
        return found.fault
    words = shown.with_band(found.banded.value, found.banded.band, found.dimension)
    piece = getattr(session.standing().model, "piece", None)
    if piece is not None and found.dimension in EXTENSIVE:
        part = shown.text(found.banded.value / piece.times, found.dimension)
        words += f"\nof the whole; the piece that was solved has {part}"
    if found.hand is None:
        return words
    if found.hand.value is None:
        return f"{words}\nby hand: {found.hand.what}"
    low, high = (shown.text(x, found.dimension, 3, False) for x in (found.hand.low, found.hand.high))
    return f"{words}\nby hand {shown.text(found.hand.value, found.dimension, 3)} ({low} to {high}): {found.hand.what}"
