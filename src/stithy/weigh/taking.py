"""A point of a study as a layout."""

from __future__ import annotations

from ..model.studies import Search, Sweep
from ..project import edits
from ..project.document import Document
from ..project.edits import Edit
from .points import Point


def taken(document: Document, study: Sweep | Search, point: Point, name: str = "") -> tuple[str, Edit]:
    """The name of the new layout, and the edit that makes it: a copy of the one that was varied, with what the point
    says."""
    base = study.of
    for v, text in zip(study.variables, point.values, strict=True):
        base = text if v.key == "layout" else base
    layouts = {x.name for x in document.layouts}
    wanted = (name or ", ".join((base, *(t for v, t in zip(study.variables, point.values, strict=True) if v.row))))[:56]
    free, n = wanted, 2
    while free in layouts:
        free, n = f"{wanted} {n}", n + 1
    cells = [
        edits.set_cell(free, v.row, v.key, text, True)
        for v, text in zip(study.variables, point.values, strict=True)
        if v.key != "layout"
    ]
    return free, edits.many(f"make a layout of {point.name(study)}", [edits.duplicate_layout(base, free), *cells])
