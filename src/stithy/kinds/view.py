"""A look to come back to."""

from __future__ import annotations

from typing import Annotated, Literal

from ..model import drawn
from ..project.kind import READ, Cell, Row, Text, register
from ..project.reader import Reader
from ..project.references import listed
from . import drawing as d


class View(Row):
    """A look to come back to: the camera, which drawn rows are on, which parts are hidden or seen through."""

    kind: Literal["view"] = "view"
    camera: Annotated[
        Text,
        Cell(
            "camera", READ, "where it stands, what it looks at, which way is up: three points, mm", columns=("where",)
        ),
    ] = "300, -600, 400; 0, 0, 0; 0, 0, 1 mm"
    angle: Annotated[Text, Cell("angle", READ, "of view")] = "24 deg"
    shows: Annotated[
        Text, Cell("shows", READ, "drawn rows that are on, with semicolons", refers=("drawn",), columns=("quantity",))
    ] = ""
    hidden: Annotated[Text, Cell("hidden", READ, "parts that are not shown", refers=d.PARTS)] = ""
    through: Annotated[Text, Cell("seen through", READ, "parts that are seen through", refers=d.PARTS)] = ""


def read(r: Reader, row: View) -> drawn.View | None:
    """The view."""
    points = d.points(r, row, "camera")
    if len(points) != 3:
        if not any(p.row == row.name for p in r.problems):
            r.note(row, "camera", "needs three points.", "Look at the model as you want it and keep the view again.")
        return None
    x, y, z = (1e3 * c for c in points[2])
    angle = r.value(row, "angle", "angle", 0.42, above=0.01, most=2.9)

    def some(key: str) -> tuple[str, ...]:
        return tuple(p for p in listed(row.text(key)) if p in r.by_name)

    return drawn.View(
        row.name, points[0], points[1], (x, y, z), angle * 57.29577951, some("shows"), some("hidden"), some("through")
    )


register(View, "Views", draws=read)
