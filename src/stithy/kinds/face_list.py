"""A list of the faces of imported solids: what each is, a point on it, what it touches, the groups it belongs to."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ..errors import StithyError
from ..project.document import Document
from ..project.reader import Reader
from ..shapes import faces, facets
from ..shapes.geometry import Mesh
from ..shapes.touching import meshed, touching
from .assembly import read_all
from .blanking_plate import quiet
from .body import BodyRow, raw_form


@dataclass(frozen=True)
class FaceRow:
    """One face: the solid it is ``of``, its ``number`` there, ``what`` it is, ``area`` m2, a ``point`` (m) on it
    where the solid's file has it, solids it ``touches``, ``groups`` it belongs to."""

    of: str
    number: int
    what: str
    area: float
    point: tuple[float, float, float]
    touches: tuple[str, ...]
    groups: tuple[str, ...]


def face_list(document: Document, layout: str, of: str = "") -> list[FaceRow]:
    """All faces of the imported solids of a layout, or of one of them, the largest first. Raises StithyError."""
    r = quiet(Reader(document, layout))
    rows = {row.name: row for row in r.of("body") if isinstance(row, BodyRow)}
    if of and of not in rows:
        raise StithyError(f"There is no imported solid “{of}”. There are: {', '.join(rows) or 'none'}.")
    model = read_all(r, layout)
    shapes = {s.name: m for s in model.solids if (m := meshed(s.form, s.boxes)) is not None}
    out = []
    for name, row in rows.items():
        form = raw_form(row)
        if form is None or (of and name != of):
            continue
        met: dict[int, list[str]] = {}
        for other, shape in shapes.items():
            if other != name and name in shapes:
                for t in touching(shapes[name], shape):
                    met.setdefault(t.face, []).append(other)
        groups = {n: [g.name for g in model.faces if g.of == name and n in g.faces] for n in np.unique(form.faces)}
        out += [
            FaceRow(
                name,
                f.number,
                f.what,
                f.area * _scale(row, r) ** 2,
                on_face(form, f.number),
                tuple(dict.fromkeys(met.get(f.number, ()))),
                tuple(groups[f.number]),
            )
            for f in faces.faces(form)
        ]
    return sorted(out, key=lambda f: -f.area)


def _scale(row: BodyRow, r: Reader) -> float:
    return r.value(row, "scale", "ratio", 1.0)


def on_face(form: Mesh, face: int) -> tuple[float, float, float]:
    """A point (m) on a face: the middle of its largest triangle."""
    x = facets.corners(form)[np.asarray(form.faces) == face]
    largest = int(np.argmax(np.linalg.norm(np.cross(x[:, 1] - x[:, 0], x[:, 2] - x[:, 0]), axis=1)))
    a, b, c = x[largest].mean(axis=0)
    return float(a), float(b), float(c)
