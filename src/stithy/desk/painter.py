"""Adds meshes to a bench's 3-D view, remembers which row each is the picture of, and keeps what is slow to make."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import numpy as np

from . import look, scene

#: what labels are written in
FONT = Path(__file__).parent.parent / "data/fonts/barlow-semi-condensed-500.ttf"
#: meshes kept
MOST_KEPT = 80


class Painter:
    """The pictures in one view.

    ``names`` tells which row an actor belongs to; ``painted`` holds meshes coloured by temperature, with the cell of
    each of their faces.
    """

    def __init__(self, view):
        self.view = view
        self.names: dict[str, str] = {}
        self.painted: list = []
        self._kept: dict = {}

    def clear(self) -> None:
        """Take everything out of the view."""
        self.view.renderer.clear_actors()
        self.names, self.painted = {}, []

    def name_of(self, actor) -> str:
        """The row whose picture ``actor`` is; empty for none."""
        return self.names.get(actor.GetAddressAsString(""), "") if actor else ""

    def add(self, mesh, name: str = "", **how):
        """Show a mesh, as the picture of row ``name``."""
        actor = self.view.add_mesh(mesh, render=False, reset_camera=False, **how)
        if name:
            self.names[actor.GetAddressAsString("")] = name
        return actor

    def label(self, place, text: str) -> None:
        """Words on a dark plate beside a place (m)."""
        self.view.add_point_labels(
            np.array([place]) * scene.MM,
            [text],
            font_size=14,
            font_file=str(FONT),
            bold=False,
            text_color=look.SHEET,
            shape_color=look.INK,
            shape="rounded_rect",
            shape_opacity=1.0,
            margin=6,
            show_points=False,
            always_visible=True,
            pickable=False,
            reset_camera=False,
            render=False,
        )

    def kept(self, key: tuple, make: Callable):
        """What ``make`` gives, made once for a key."""
        if key not in self._kept:
            while len(self._kept) >= MOST_KEPT:
                del self._kept[next(iter(self._kept))]
            self._kept[key] = make()
        return self._kept[key]

    def limits(self, result, field: str) -> tuple[float, float]:
        """The range of a field in ``result``."""

        def work_out() -> tuple[float, float]:
            values = scene.field(result, field)
            live = result.kind != 2 if field == "temperature" else result.kind == 0
            low, high = float(values[live].min()), float(values[live].max())
            if field == "temperature":
                low, high = np.floor(low / 5) * 5, np.ceil(high / 5) * 5
            return low, high if high > low else low + 1

        return self.kept(("limits", id(result), field), work_out)
