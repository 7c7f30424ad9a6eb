"""A report of a project: decision first, then what it stands on. HTML and PDF from one template, and the same tables as
sheets.

The template is text for Jinja; a project may hold its own in ``report.html.j2``. Nothing in a report says when it was
made: it differs only where results do.
"""

from __future__ import annotations

import base64
import re
import warnings
from collections.abc import Callable
from dataclasses import dataclass, field
from importlib import resources
from pathlib import Path
from typing import Any

from ..errors import FileProblem, StithyError
from ..model.studies import Search, Sweep
from ..project.document import Document
from ..project.files import write_atomic
from ..read import export, shown
from . import helping, told
from .chart import SIGNS, scatter
from .compare import Standing, ranked, standing
from .grid_study import GridStudy, grid_study
from .limits import CLOSE, FAILS
from .maps import able, drawing, mapped
from .overview import Line, Overview, overview
from .points import studies
from .table import cells, equals

TEMPLATE, ENDS = "report.html.j2", (".html", ".pdf", ".xlsx")
#: points of a study that are listed, and changes that would help
LISTED, HELPING = 12, 8
#: columns of a map that a page holds
WIDE = 6

Picture = Callable[[str], bytes]


@dataclass
class Table:
    """A head and rows of text, the first ``words`` columns and perhaps the last left; ``marks`` by (row, column):
    "fails" or "close"."""

    head: list[str]
    rows: list[list[str]]
    words: int = 1
    marks: dict[tuple[int, int], str] = field(default_factory=dict)
    #: whether the last column holds words as well
    ends: bool = False


def template(project: Path | None) -> str:
    """The project's own template, or the usual one. Raises FileProblem."""
    own = Path(project) / TEMPLATE if project is not None else None
    try:
        if own is not None and own.is_file():
            return own.read_text(encoding="utf-8")
    except (OSError, UnicodeDecodeError) as error:
        raise FileProblem(f"{own}: the template cannot be read ({error}). Correct it, or take it away.") from error
    return usual()


def usual() -> str:
    """The template that comes with the program."""
    return (resources.files("stithy") / "data/report" / TEMPLATE).read_text(encoding="utf-8")


def report(
    document: Document,
    project: Path,
    path: Path,
    picture: Picture | None = None,
    tell: Callable[[str], bool | None] | None = None,
) -> Path:
    """Write a report to ``path`` (.html, .pdf or .xlsx). ``picture`` draws the view of a layout as bytes of a .png;
    ``tell`` hears what is being done and ends it by False. Raises StithyError."""
    path = Path(path)
    if path.suffix.lower() not in ENDS:
        raise FileProblem(f"{path}: name a report that ends in {', '.join(ENDS[:-1])} or {ENDS[-1]}.")
    found = contents(document, project)
    if not found["known"] and not found["studies"]:
        raise StithyError("No layout has a result yet. Solve one first: there is nothing to report.")
    if path.suffix.lower() == ".xlsx":
        return export.sheet(path, sheets(found))
    for name in found["known"]:
        if picture is None:
            break
        if tell and tell(f"drawing {name}") is False:
            raise StithyError("Stopped.")
        data = base64.b64encode(picture(name)).decode()
        found["pictures"].append({"layout": name, "data": f"data:image/png;base64,{data}"})
    if tell:
        tell("writing")
    html = rendered(template(project), found, str(project))
    if path.suffix.lower() == ".pdf":
        write_atomic(path, _pdf(html))
    else:
        write_atomic(path, html.encode())
    return path


def rendered(text: str, found: dict[str, Any], where: str = "") -> str:
    """A template filled in. Raises FileProblem, naming its line, where it cannot be."""
    from jinja2 import TemplateError
    from jinja2.sandbox import SandboxedEnvironment
    from markupsafe import Markup

    environment = SandboxedEnvironment(autoescape=True)
    environment.globals["table"] = lambda t: Markup(_table(t))  # noqa: S704 - every cell is escaped
    try:
        return environment.from_string(text).render(**found)
    except TemplateError as error:
        line = getattr(error, "lineno", None)
        at = f", line {line}" if line else ""
        raise FileProblem(f"{where}/{TEMPLATE}{at}: {error}. Correct the template, or take it away.") from error


def _table(t: Table) -> str:
    """A table as HTML, every cell escaped."""
    from markupsafe import escape

    def cell(tag: str, text: str, row: int, column: int) -> str:
        word = column < t.words or (t.ends and column == len(t.head) - 1)
        names = " ".join(x for x in ("word" if word else "", t.marks.get((row, column), "")) if x)
        text = re.sub(r"(?<![\w.])-(?=\d)", "\u2212", text)
        return f"<{tag}{f' class={names!r}' if names else ''}>{escape(text)}</{tag}>".replace("'", '"')

    head = "".join(cell("th", x, -1, c) for c, x in enumerate(t.head))
    rows = ("".join(cell("td", x, r, c) for c, x in enumerate(line)) for r, line in enumerate(t.rows))
    return f"<table><thead><tr>{head}</tr></thead><tbody>{''.join(f'<tr>{x}</tr>' for x in rows)}</tbody></table>"


def _pdf(html: str) -> bytes:
    import logging

    with warnings.catch_warnings():
        warnings.simplefilter("ignore")  # of the libraries it finds here, which do
        from weasyprint import HTML
    logging.getLogger("weasyprint").setLevel(logging.ERROR)
    fonts = resources.files("stithy") / "data/fonts"
    faces = "".join(
        f"@font-face {{ font-family: 'Barlow Semi Condensed'; font-weight: {weight}; src: url('{f.as_uri()}'); }}"
        for f, weight in told.fonts(Path(str(fonts)))
    )
    return HTML(string=html.replace("<style>", f"<style>{faces}", 1)).write_pdf()


def contents(document: Document, project: Path) -> dict[str, Any]:
    """All that a template may use, by name."""
    every = [standing(document, project, x.name) for x in document.layouts if not x.archived]
    known = [s for s in every if s.state == "current"]
    table = overview(document, project, every)
    best = ranked(known)
    return {
        "name": document.name,
        "ambient": told.ambient(best),
        "decision": told.decision(best, table),
        "known": [s.layout for s in best],
        "layouts": _layouts(best),
        "equals": equals(best),
        "limits": _limits(best),
        "studies": [_study(x, table) for x in studies(document) if any(n.of == x.name for n in table.lines)],
        "pictures": [],
        "helps": _helps(best, project),
        "grid_studies": _grid_studies(document, best, project),
        "hands": Table(["watch", "layout", "solved", "by hand", "range", "by"], told.hands(best), 2, {}, True),
        "assumed": Table(["what", "as"], told.assumed(document, best), 2),
        "materials": Table(["name", "W/m/K", "kg/m³", "J/kg/K", "source"], told.materials(best), 1, {}, True),
        "trust": [{"layout": s.layout, "lines": told.trust(s)} for s in best],
        "left_out": told.left_out(document, every),
    }


def _map(study: Sweep | Search, table: Overview, lines: list[Line]) -> str:
    """A sweep's worst margin over the first two things it varies; empty where that is no map."""
    own = Overview(lines, tuple(v.title for v in study.variables), table.numbers)
    good = able(own)
    if not isinstance(study, Sweep) or len(good) < 2 or "worst margin" not in table.numbers:
        return ""
    found = mapped(own, good[0], good[1], "worst margin")
    return drawing(found, own) if len(found.columns) <= WIDE else ""


def _mark(verdict: str) -> str:
    return {FAILS: "fails", CLOSE: "close"}.get(verdict, "")


def _layouts(best: list[Standing]) -> Table:
    heads = ["layout", "verdict", "worst", "margin", "drop Pa", "flow m³/h", "air power W", "draw W", "mass g"]
    rows = [cells(s)[:-1] for s in best]
    return Table(heads, rows, 3, {(m, 1): _mark(s.verdict) for m, s in enumerate(best) if _mark(s.verdict)})


def _limits(best: list[Standing]) -> Table:
    """A row for each limit, a column for each layout; a mark beside every value says whether it holds."""
    marks: dict[tuple[int, int], str] = {}
    rows: list[list[str]] = []
    for name in dict.fromkeys(m.bound.name for s in best for m in s.margins):
        own = [next((m for m in s.margins if m.bound.name == name), None) for s in best]
        bounds = {f"{'≥' if m.bound.least else '≤'} {m.bound_text()}" for m in own if m is not None}
        row = [name, " or ".join(sorted(bounds))]
        for c, m in enumerate(own):
            if m is None or m.value is None:
                row.append("–")
                continue
            row.append(f"{m.value_text()}{m.band_words()} {SIGNS[m.verdict]}")
            if _mark(m.verdict):
                marks[len(rows), c + 2] = _mark(m.verdict)
        rows.append(row)
    return Table(["limit", "", *(s.layout for s in best)], rows, 2, marks)


def _study(study: Sweep | Search, table: Overview) -> dict[str, Any]:
    """A study: its best points, and the chart of its goal against the margin."""
    lines = [n for n in table.ordered() if n.of == study.name]
    by = study.goal if isinstance(study, Search) else "fan power" if "fan power" in table.numbers else "mass"
    numbers = [n for n in table.numbers if any(n in x.numbers for x in lines)][:8]
    head = [*(v.title for v in study.variables), *numbers, "verdict"]
    rows = [
        [*n.values.values(), *(told.number(n.numbers.get(x)) for x in numbers), told.verdict(n)] for n in lines[:LISTED]
    ]
    words = len(study.variables)
    marks = {(m, len(head) - 1): _mark(n.verdict) for m, n in enumerate(lines[:LISTED]) if _mark(n.verdict)}
    left = len(lines) - len(rows)
    chart = ""
    if len(lines) > 2 and by in table.numbers and "worst margin" in table.numbers:
        chart = scatter(table, lines, by, "worst margin", y_most=True)
    return {
        "name": study.name,
        "what": told.study(study, lines),
        "table": Table([told.headed(h, table) for h in head], rows, words, marks),
        "chart": told.markup(chart),
        "map": told.markup(_map(study, table, lines)),
        "equal": table.equal_first(lines),
        "says": "Each mark is a run: a disc meets all limits, a diamond is too close to call, a cross fails. The line "
        "joins the best compromises; margins are parts of the way from the surroundings to the limit.",
        "left": f"{left} more points are in the project." if left else "",
    }


def _helps(best: list[Standing], project: Path) -> list[dict[str, Any]]:
    out = []
    for s in best:
        found = helping.kept(project, s)
        limit = next((m.bound.name for m in s.margins if found and m.bound.name in found[0].moves), "")
        if not found or not limit:
            continue
        chosen = sorted(found, key=lambda h: h.moves.get(limit, 0.0))[:HELPING]
        rows = [[h.row, h.what, f"{h.moves[limit]:+.2f} ± {h.band[limit]:.2f} K"] for h in chosen if limit in h.moves]
        out.append({"layout": s.layout, "limit": limit, "table": Table(["what", "change", "moves it by"], rows, 2)})
    return out


def _grid_studies(document: Document, best: list[Standing], project: Path) -> list[dict[str, Any]]:
    out = []
    for s in best:
        try:
            found = grid_study(document, s.layout, project)
        except StithyError:
            continue
        if found is not None:
            cells_ = ", ".join(f"{n:,}".replace(",", " ") for n in found.cells)
            out.append({"layout": s.layout, "cells": cells_, "table": grid_table(found)})
    return out


def grid_table(found: GridStudy) -> Table:
    """A grid study as a table."""
    rows = [
        [
            x.name,
            *(shown.text(v, x.dimension, with_unit=False) for v in x.values),
            shown.text(x.tends.value, x.dimension),
            "–" if x.tends.order != x.tends.order else f"{x.tends.order:.1f}{' ?' if x.tends.doubtful else ''}",
            f"± {shown.band(x.tends.band, x.dimension)}",
            shown.with_band(x.told, x.band, x.dimension),
            {True: "held", False: "did not hold", None: "–"}[x.held],
        ]
        for x in found.lines
    ]
    head = ["number", "finer", "own grid", "coarser", "tends to", "order", "band", "told", "that"]
    return Table(head, rows, 1, {(m, 8): "fails" for m, x in enumerate(found.lines) if x.held is False})


def sheets(found: dict[str, Any]) -> dict[str, tuple[list[str], list]]:
    """The tables of a report, each a head and rows under its name."""
    out = {"Decision": (["decision"], [[x] for x in found["decision"]])}
    out |= {
        name: (t.head, t.rows)
        for name, t in (("Layouts", found["layouts"]), ("Limits", found["limits"]), ("By hand", found["hands"]))
        if t.rows
    }
    out |= {s["name"]: (s["table"].head, s["table"].rows) for s in found["studies"]}
    out |= {f"Grid of {g['layout']}": (g["table"].head, g["table"].rows) for g in found["grid_studies"]}
    out |= {f"Helps {h['layout']}": (h["table"].head, h["table"].rows) for h in found["helps"]}
    out |= {"Assumed": (found["assumed"].head, found["assumed"].rows)}
    out |= {"Materials": (found["materials"].head, found["materials"].rows)}
    return out
