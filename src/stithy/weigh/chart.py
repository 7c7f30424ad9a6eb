"""A chart of two numbers of all lines as a drawing (SVG): bands as bars, limits as hatched lines, the front of best
compromises in ink."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any
from xml.sax.saxutils import escape

import numpy as np

from ..read import shown
from .limits import CLOSE, FAILS, MEETS
from .overview import Line, Overview

INK, QUIET, RULE, SLATE, EMBER, AMBER = "#22292d", "#6b6a64", "#d8d2c4", "#3c5563", "#c0461b", "#a06a1c"
TONES = {MEETS: SLATE, CLOSE: AMBER, FAILS: EMBER, "": QUIET}
#: marks of verdicts, so that they are told not by colour alone
SIGNS = {MEETS: "✓", CLOSE: "~", FAILS: "✗", "": ""}
SIZE = (720, 340)
PAD = (64, 18, 16, 46)  # left, right, top, bottom


def ticks(low: float, high: float, many: int = 5) -> list[float]:
    """Round numbers from low to high."""
    if not high > low:
        return [low]
    step = 10.0 ** np.floor(np.log10((high - low) / many))
    for times in (1.0, 2.0, 5.0, 10.0):
        if (high - low) / (times * step) <= many:
            step *= times
            break
    first = np.ceil(low / step - 1e-9) * step + 0.0  # no zero with a sign
    return [float(x) for x in np.arange(first, high + 1e-9 * step, step)]


def scatter(table: Overview, lines: Sequence[Line], x: str, y: str, x_most: bool = False, y_most: bool = False) -> str:
    """The drawing of some lines of a table; empty where fewer than two have both numbers."""
    known = [n for n in lines if np.isfinite([table.value(n, x), table.value(n, y)]).all()]
    if len(known) < 2:
        return ""
    at = np.array([[_shown(table, n, x)[0], _shown(table, n, y)[0]] for n in known])
    bands = np.array([[_shown(table, n, x)[1], _shown(table, n, y)[1]] for n in known])
    low, high = (at - bands).min(axis=0), (at + bands).max(axis=0)
    room = np.maximum(0.06 * (high - low), 1e-12 + 0.01 * np.abs(high))
    low, high = low - room, high + room
    w, h = SIZE
    left, right, top, bottom = PAD

    def px(v: float) -> float:
        return left + (w - left - right) * (v - low[0]) / (high[0] - low[0])

    def py(v: float) -> float:
        return h - bottom - (h - top - bottom) * (v - low[1]) / (high[1] - low[1])

    out = [f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 {w} {h}" font-size="11" fill="{INK}">']
    out += _axes(table, x, y, low, high, px, py)
    inside = table.front(x, y, x_most, y_most, known)
    if len(inside) > 1:
        points = " ".join(f"{px(_shown(table, n, x)[0]):.1f},{py(_shown(table, n, y)[0]):.1f}" for n in inside)
        out.append(f'<polyline points="{points}" fill="none" stroke="{INK}" stroke-width="1.5"/>')
    for n, (a, b), (da, db) in zip(known, at, bands, strict=True):
        tone = TONES[n.verdict]
        for one, other in (((a - da, b), (a + da, b)), ((a, b - db), (a, b + db))):
            if one != other:
                x1, y1, x2, y2 = px(one[0]), py(one[1]), px(other[0]), py(other[1])
                out.append(f'<line x1="{x1:.1f}" y1="{y1:.1f}" x2="{x2:.1f}" y2="{y2:.1f}" stroke="{tone}"/>')
        title = f"<title>{escape(n.name)}: {n.verdict}</title>"
        out.append(_mark(px(a), py(b), n.verdict, tone, title))
    return "".join([*out, "</svg>"])


def _mark(x: float, y: float, verdict: str, tone: str, title: str) -> str:
    """A disc for what meets all limits, a diamond for what is too close to call, a cross for what fails, else a
    ring."""
    style = f'stroke="{tone}" stroke-width="1.8"'
    if verdict == MEETS:
        return f'<circle cx="{x:.1f}" cy="{y:.1f}" r="4.5" fill="{tone}">{title}</circle>'
    if verdict == CLOSE:
        return f'<path d="M{x - 5:.1f} {y:.1f} l5 -5 l5 5 l-5 5 z" fill="{tone}">{title}</path>'
    if verdict == FAILS:
        return f'<path d="M{x - 4:.1f} {y - 4:.1f} l8 8 m0 -8 l-8 8" {style} fill="none">{title}</path>'
    return f'<circle cx="{x:.1f}" cy="{y:.1f}" r="4" fill="none" {style}>{title}</circle>'


def _axes(table: Overview, x: str, y: str, low: Any, high: Any, px: Any, py: Any) -> list[str]:
    w, h = SIZE
    left, right, top, bottom = PAD
    out = [f'<line x1="{left}" y1="{h - bottom}" x2="{w - right}" y2="{h - bottom}" stroke="{INK}"/>']
    out.append(f'<line x1="{left}" y1="{top}" x2="{left}" y2="{h - bottom}" stroke="{INK}"/>')
    for v in ticks(low[0], high[0]):
        out.append(f'<text x="{px(v):.1f}" y="{h - bottom + 15}" text-anchor="middle">{shown.number(v)}</text>')
    for v in ticks(low[1], high[1]):
        out.append(f'<line x1="{left}" y1="{py(v):.1f}" x2="{w - right}" y2="{py(v):.1f}" stroke="{RULE}"/>')
        out.append(f'<text x="{left - 6}" y="{py(v) + 4:.1f}" text-anchor="end">{shown.number(v)}</text>')
    zero = y == "worst margin" and low[1] < 0.0 < high[1]
    if zero:
        out.append(
            f'<line x1="{left}" y1="{py(0.0):.1f}" x2="{w - right}" y2="{py(0.0):.1f}" stroke="{EMBER}" '
            'stroke-width="1.5" stroke-dasharray="4 3"/>'
        )
        out.append(f'<text x="{w - right}" y="{py(0.0) - 4:.1f}" text-anchor="end" fill="{EMBER}">limit</text>')
    out.append(f'<text x="{w - right}" y="{h - 8}" text-anchor="end">{escape(headed(table, x))}</text>')
    out.append(f'<text x="{left}" y="{top - 4}">{escape(headed(table, y))}</text>')
    return out


def headed(table: Overview, name: str) -> str:
    """A number's name with its unit; margins are told in per cent of the way to the limit."""
    if name == "worst margin":
        return "worst margin, %"
    unit = shown.symbol(table.numbers[name]) if name in table.numbers else ""
    return f"{name}, {unit}" if unit else name


def _shown(table: Overview, line: Line, name: str) -> tuple[float, float]:
    """A number and its band in the units shown."""
    if name not in line.numbers:
        return table.value(line, name), 0.0
    x = line.numbers[name]
    if name == "worst margin":
        return 100.0 * x.value, 0.0
    kind = "temperature difference" if x.dimension == "temperature" else x.dimension
    return float(shown.convert(x.value, x.dimension)), shown.span(x.band, kind) if x.band else 0.0
