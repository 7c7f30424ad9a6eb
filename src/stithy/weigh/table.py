"""The comparison as text and as CSV rows."""

from __future__ import annotations

from ..read import shown
from .compare import Standing
from .limits import MEETS, Margin

HEADS = ("layout", "verdict", "worst", "margin", "drop Pa", "flow m3/h", "air power W", "draw W", "mass g", "result")


def cells(s: Standing) -> list[str]:
    """One line of the comparison table."""
    worst, drop = s.worst, s.pressure_drop
    verdict = {MEETS: "meets all", "": "unknown"}.get(s.verdict, s.verdict)
    if s.state == "faulty":
        verdict = f"{len(s.problems)} to settle"
    return [
        s.layout,
        verdict,
        worst.bound.name if worst else "",
        with_band(worst) if worst else "",
        f"{drop:.2f}" if drop is not None else "",
        f"{s.through_flow * 3600:.2f}" if s.summary else "",
        f"{s.fan_power:.3f}" if s.summary else "",
        f"{s.fan_draw:.2f}" if s.summary else "",
        f"{s.mass * 1e3:.0f}" if s.mass is not None else "",
        s.says,
    ]


def with_band(margin: Margin) -> str:
    """A margin with its band and unit."""
    told, _, unit = margin.margin_text().partition(" ")
    return f"{told}{margin.band_words()} {unit}".rstrip()


def equals(standings: list[Standing]) -> list[str]:
    """Sentences on neighbours in the ranking that cannot be told apart."""
    return [
        f"{a.layout} and {b.layout}: equal within their bands."
        for a, b in zip(standings, standings[1:], strict=False)
        if a.equals(b)
    ]


def tables(standings: list[Standing]) -> list[list[list[str]]]:
    """All layouts, and every limit of every layout: each a head and rows."""
    names = list(dict.fromkeys(m.bound.name for s in standings for m in s.margins))
    rows = [["limit", *[s.layout for s in standings]]]
    for name in names:
        line = [name]
        for s in standings:
            m = next((m for m in s.margins if m.bound.name == name), None)
            if m is None or m.value is None:
                line.append("-")
            else:
                line.append(f"{m.value_text()}{m.band_words()} / {m.bound_text()}, {m.verdict}".replace("°C", "degC"))
        rows.append(line)
    blocks = [[list(HEADS), *[cells(s) for s in standings]], rows]
    watches = [n for n in dict.fromkeys(x.watch.name for s in standings for x in s.watches) if n not in names]
    if watches:
        blocks.append(
            [["watch", *[s.layout for s in standings]], *[[n, *[watch_text(s, n) for s in standings]] for n in watches]]
        )
    return blocks


def watch_text(s: Standing, name: str) -> str:
    """What a watch came to in a layout, with band and unit."""
    x = next((x for x in s.watches if x.watch.name == name), None)
    if x is None or x.banded is None:
        return "-"
    return shown.with_band(x.banded.value, x.banded.band, x.dimension)


def text_table(standings: list[Standing]) -> str:
    """:func:`tables` as text, and what is to be said of neighbours."""
    blocks = [_grid(rows) for rows in tables(standings)]
    if equals(standings):
        blocks.append("\n".join(equals(standings)))
    return "\n\n".join(blocks)


def _grid(rows: list[list[str]]) -> str:
    widths = [max(len(r[c]) for r in rows) for c in range(len(rows[0]))]
    lines = ["  ".join(x.ljust(w) for x, w in zip(r, widths, strict=True)).rstrip() for r in rows]
    lines.insert(1, "  ".join("-" * w for w in widths))
    return "\n".join(lines)
