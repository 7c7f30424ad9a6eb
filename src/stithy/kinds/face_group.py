"""Faces of an imported solid under one name, and what holds on them."""

from __future__ import annotations

from typing import Annotated, Literal

import numpy as np

from .. import model
from ..errors import ValueProblem
from ..project import units
from ..project.kind import LOAD, SHAPE, Cell, Row, Text, register
from ..project.reader import Reader
from ..shapes import faces
from ..shapes.geometry import Mesh
from ..shapes.touching import meshed, touching
from . import contact, finishes, solids, walls
from .blanking_plate import quiet
from .body import BodyRow, placed_form, raw_form
from .cells import SIDES, Roughness, SurfaceFinish

#: what a part of the cell "which" may begin with, and what it means
WORDS = {
    "at": "the face at a point: at 10, 5, 2 mm",
    "plane": "all in its plane: plane 10, 5, 2 mm",
    "smooth": "what runs on smoothly from it: smooth 10, 5, 2 mm",
    "radius": "all of its radius: radius 10, 5, 2 mm",
    "look": "all that look one way: look z+",
    "touch": "all that touch a solid: touch Lid",
    "material": "all that touch solids of a material: material copper",
    "box": "all in a box: box 0, 0, 0 to 10, 20, 5 mm",
}


class FaceGroup(Row):
    """Faces of an imported solid, chosen by what they are, so that they are found again after a change; with a thermal
    condition, a resistance or a roughness of their own."""

    kind: Literal["faces"] = "faces"
    of: Annotated[Text, Cell("of", SHAPE, "the imported solid", refers=("body",), columns=("material",))] = ""
    which: Annotated[
        Text,
        Cell(
            "which",
            SHAPE,
            "at, plane, smooth or radius with a point where the solid's file has it; look z+; touch NAME; "
            "box A to B mm; several with semicolons",
            columns=("place",),
        ),
    ] = "look z+"
    condition: Annotated[
        Text,
        Cell(
            "condition",
            LOAD,
            "500 W/m2, 60 degC, 8 W/m2/K to 40 degC, or adiabatic; empty: none of its own",
            columns=("flow",),
        ),
    ] = ""
    resistance: Annotated[
        Text, Cell("resistance", LOAD, "of a layer on them: 2e-5 m2 K/W, or 0.1 mm, 1.5 W/m/K; empty: none")
    ] = ""
    roughness: Roughness = ""
    finish: SurfaceFinish = ""


def chosen(r: Reader, row: FaceGroup) -> tuple[BodyRow, Mesh, set[int]] | None:
    """The solid's row, its faces where its file has them, and the numbers of those meant; None after a note."""
    body = r.by_name.get(r.choice(row, "of", r.names_of("body"), ""))
    form = raw_form(body) if isinstance(body, BodyRow) else None
    if form is None or not isinstance(body, BodyRow):
        return None
    found: set[int] = set()
    for part in (p.strip() for p in row.which.split(";") if p.strip()):
        word, _, rest = part.partition(" ")
        try:
            found |= _part(r, body, form, word, rest.strip())
        except ValueProblem as error:
            r.note(row, "which", error.what, f"Write one of: {'; '.join(WORDS.values())}.")
            return None
    if not found:
        r.note(row, "which", f"finds no face of “{body.name}”.", "Look at its faces: stithy faces PROJECT.")
        return None
    return body, form, found


def _part(r: Reader, body: BodyRow, form: Mesh, word: str, rest: str) -> set[int]:
    if word == "all":
        return {f.number for f in faces.faces(form)}
    if word == "look" and rest in SIDES:
        return faces.looking(form, "xyz".index(rest[0]), 1 if rest[1] == "+" else -1)
    if word == "touch":
        return _touched(r, body, rest)
    if word == "material":
        others = [n for n in r.names_of("solid") if n != body.name and _material(r.by_name[n]) == rest]
        if not others:
            raise ValueProblem(rest, f"no other solid is of “{units.short(rest)}”.", "")
        return set().union(*(_touched(r, body, n) for n in others))
    if word == "box" and " to " in rest:
        low, high = rest.split(" to ", 1)
        unit = high.rsplit(" ", 1)[-1]
        return faces.in_box(
            form, units.vector(f"{low} {unit}", "length", 3, r.names), units.vector(high, "length", 3, r.names)
        )
    if word in ("at", "plane", "smooth", "radius"):
        face = faces.nearest(form, units.vector(rest, "length", 3, r.names))
        select = {"plane": faces.same_plane, "smooth": faces.runs_on, "radius": faces.same_radius}.get(word)
        return select(form, face) if select else {face}
    raise ValueProblem(word, f"“{units.short(f'{word} {rest}'.strip())}” is not known.", "")


def _material(row: Row) -> str:
    return row.text("material") if "material" in type(row).model_fields else ""


def _touched(r: Reader, body: BodyRow, name: str) -> set[int]:
    """Faces of a solid that touch another."""
    if name not in r.names_of("solid"):
        raise ValueProblem(name, f"“{units.short(name)}” is no solid of this layout.", "")
    from ..project.kind import KINDS

    forms = []
    for row in (body, r.by_name[name]):
        read = KINDS[row.kind].read
        made = read(quiet(r), row) if read else None
        forms.append(meshed(made.form, made.boxes) if isinstance(made, model.Solid) else None)
    one, other = forms
    return {t.face for t in touching(one, other)} if one is not None and other is not None else set()


def read(r: Reader, row: FaceGroup) -> model.FaceGroup | None:
    """The faces of the model, with their condition."""
    found = chosen(r, row)
    if found is None:
        return None
    condition = None
    if row.text("condition"):
        condition = walls.condition(r, row, "condition", row.condition, _box(r, found[0]))
    if condition is not None and (condition.kind in ("symmetry", "periodic") or condition.slides):
        r.note(row, "condition", f"“{row.condition}” is for whole sides.", "Write 500 W/m2, 60 degC or adiabatic.")
    layer = contact.area_resistance(r, row, "resistance") if row.text("resistance") else 0.0
    return model.FaceGroup(
        row.name,
        found[0].name,
        tuple(sorted(found[2])),
        condition,
        layer,
        solids.roughness(r, row),
        finishes.own(r, row),
    )


def _box(r: Reader, body: BodyRow):
    """Low and high corner (m) of the whole solid where it stands."""
    return np.array(placed_form(quiet(r), body).box).T.tolist()


register(FaceGroup, "Faces", read=read)
