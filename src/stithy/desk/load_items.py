"""What a bench shows in Load beside the model: the copper of a board, and what holds on every face."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
import pyvista as pv

from ..kinds.board import Board
from ..kinds.lying import TURNS, Lying
from ..model import roles
from ..project import circuits
from .painter import Painter
from .viewing import Look

#: tones of roles: fluid in teal, outside in slate, what is given in straw, what lacks in ember
TONES = {
    roles.INLET: "#1F6F78",
    roles.OUTLET: "#7FA9AE",
    roles.OPEN: "#A9C4C6",
    roles.FAN: "#124A50",
    roles.OUTSIDE: "#AEBFC2",
    roles.HELD: "#C9A54A",
    roles.GIVEN: "#D9B872",
    roles.SHUT: "#D8D3C6",
    roles.MIRROR: "#E8E2D2",
    roles.REPEATS: "#CFC6B4",
    roles.JOINT: "#5C6B70",
    roles.MISSING: "#C4501F",
}
#: share of copper from which on a pixel is drawn as copper
COPPER, BARE = np.array([164, 108, 66]), np.array([232, 233, 222])
#: m that a picture stands before its board, so that it is seen
BEFORE = 5e-5


class CopperItem:
    """A layer of a board's copper as a picture on its component side."""

    key = "copper"

    def wanted(self, look_: Look) -> bool:
        """In Load, when a layer is chosen."""
        return look_.stage == "Load" and look_.result is None and look_.copper is not None

    def draw(self, painter: Painter, look_: Look) -> Iterator[None]:
        """As of :class:`Item`."""
        assert look_.copper is not None
        row, layer = look_.copper
        made = copper_mesh(row, layer, next((s for s in look_.model.solids if s.name == row.name), None))
        if made is not None:
            painter.add(made, row.name, clip=True, scalars="rgb", rgb=True, lighting=False, pickable=False)
        yield


def copper_mesh(row: Board, layer: int, solid) -> pv.PolyData | None:
    """Quads of a layer's pixels with their colours, right before the side that its components are on."""
    known = circuits.circuit(row.text("file"))
    if known is None or solid is None or not 0 <= layer < len(known.pictures):
        return None
    how = Lying(known.size, row.text("faces") or "z+", TURNS.index(row.text("turned") or "0"))
    share = how.array(known.pictures[layer].astype(float) / 255.0)
    n, m = share.shape
    corner = how.corner(known.pictures[layer].shape, known.pixel)
    a, b = how.across
    bounds = solid.bounds
    x = np.clip(bounds[a][0] + corner[0] + known.pixel * np.arange(n + 1), *bounds[a])
    y = np.clip(bounds[b][0] + corner[1] + known.pixel * np.arange(m + 1), *bounds[b])
    z = bounds[how.normal][1] + BEFORE if how.up else bounds[how.normal][0] - BEFORE
    points = np.zeros((n + 1, m + 1, 3))
    points[..., a], points[..., b], points[..., how.normal] = x[:, None], y[None, :], z
    at = np.arange((n + 1) * (m + 1)).reshape(n + 1, m + 1)
    quads = np.stack([at[:-1, :-1], at[1:, :-1], at[1:, 1:], at[:-1, 1:]], -1).reshape(-1, 4)
    mesh = pv.PolyData(1e3 * points.reshape(-1, 3), np.column_stack([np.full(len(quads), 4), quads]).ravel())
    colour = BARE + share.reshape(-1, 1) * (COPPER - BARE)
    mesh.cell_data["rgb"] = np.round(colour).astype(np.uint8)
    return mesh


class RolesItem:
    """What holds on every face, in tones that the legend explains."""

    key = "roles"

    def wanted(self, look_: Look) -> bool:
        """In Load, when roles are chosen."""
        return look_.stage == "Load" and look_.result is None and look_.roles

    def draw(self, painter: Painter, look_: Look) -> Iterator[None]:
        """As of :class:`Item`."""
        for face in roles.faces(look_.model):
            box = np.array(face.box)
            if (np.ptp(box, axis=1) > 0).all():  # a whole part
                box = box + np.array([[-1e-4, 1e-4]])
                mesh = pv.Box(tuple(1e3 * box.ravel()))
                painter.add(mesh, face.name, True, color=TONES[face.role], lighting=False, opacity=0.75, pickable=False)
                continue
            mesh = pv.Box(tuple(1e3 * box.ravel()))
            large = face.role in (roles.OUTSIDE, roles.SHUT, roles.MIRROR, roles.REPEATS)
            painter.add(
                mesh,
                face.name,
                True,
                color=TONES[face.role],
                lighting=False,
                opacity=0.22 if large else 0.85,
                pickable=False,
            )
        yield
