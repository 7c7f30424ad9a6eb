"""Clicks on the bench: which row, which face of an imported solid, which values."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
from PyQt6.QtCore import QPoint

from ..errors import StithyError
from ..model import drawn
from ..read import shown
from ..shapes.facets import pierced
from ..shapes.geometry import Mesh
from . import look

if TYPE_CHECKING:
    from .bench import Bench


class Picking:
    """What a click on one bench means."""

    def __init__(self, bench: Bench):
        self.bench = bench
        self._clicks: tuple | None = None
        bench.view.iren.add_observer("LeftButtonPressEvent", self._pressed)
        bench.view.iren.add_observer("LeftButtonReleaseEvent", self._released)
        bench.view.iren.add_observer("RightButtonPressEvent", self._pressed)
        bench.view.iren.add_observer("RightButtonReleaseEvent", self._asked)

    def _pressed(self, *_):
        self._press_at = self.bench.view.iren.get_event_position()

    def _clicked(self) -> tuple[int, int] | None:
        """Where a button was let go without a pull."""
        at = self.bench.view.iren.get_event_position()
        before = getattr(self, "_press_at", None)
        return at if before is not None and max(abs(a - b) for a, b in zip(at, before, strict=True)) <= 3 else None

    def _under(self, at):
        """What is picked at a place of the picture."""
        from vtkmodules.vtkRenderingCore import vtkCellPicker

        picker = vtkCellPicker()
        picker.SetTolerance(0.002)
        picker.Pick(at[0], at[1], 0, self.bench.view.renderer)
        return picker

    def _asked(self, *_):
        """A menu for what is under the pointer."""
        at = self._clicked()
        if at is None or self.bench.layout_name:
            return
        name, session = self.bench.painter.name_of(self._under(at).GetActor()), self.bench.session
        if name and name not in session.selected:
            session.select((name,))
        view = self.bench.view
        ratio = view.devicePixelRatioF()
        self.bench.asked.emit(view.mapToGlobal(QPoint(int(at[0] / ratio), int(view.height() - at[1] / ratio))))

    def _released(self, *_):
        at = self._clicked()
        if at is None:
            return
        picker = self._under(at)
        actor = picker.GetActor()
        name, triangle = self.bench.painter.name_of(actor), picker.GetCellId()
        if self.bench.session.measuring and not self.bench.layout_name:
            if actor is not None:
                self.bench.measuring.take(name, actor, np.array(at, float), picker)
            return
        if self.bench.session.stage in ("Shape", "Load") and self.bench.name() == self.bench.session.layout:
            name = self._pick_face(at, name, triangle)
        if self.bench.showing_results() and actor is not None:
            self.probe(picker.GetPickPosition())
        self.bench.picked.emit(name)

    def _pick_face(self, at, name: str, triangle: int) -> str:
        """Take the face of an imported solid that was clicked; again at the same place, the one behind it. The solid's
        name."""
        model = self.bench.session.standing(self.bench.name()).model
        forms = {s.name: s.form for s in model.solids if isinstance(s.form, Mesh)} if model else {}
        behind = self._clicks
        if behind and max(abs(a - b) for a, b in zip(at, behind[0], strict=True)) <= 3 and len(behind[1]) > 1:
            order, first = behind[1][1:] + behind[1][:1], behind[2]
        else:
            order = self._along(at, forms) or [(name, triangle)]
            if name in forms and (name, triangle) in order:
                order = order[order.index((name, triangle)) :] + order[: order.index((name, triangle))]
            elif name not in forms:
                order = [(name, triangle)]
            first = order[0]
        self._clicks = at, order, first
        of, number = order[0]
        picked = (of, int(forms[of].faces[number])) if of in forms and 0 <= number < len(forms[of].faces) else None
        self.bench.session.pick_face(picked, order[0] != first)
        return of

    def _along(self, at, forms) -> list[tuple[str, int]]:
        """Solids and their triangles under a place of the view, the nearest first."""
        renderer, ends = self.bench.view.renderer, []
        for depth in (0.0, 1.0):
            renderer.SetDisplayPoint(at[0], at[1], depth)
            renderer.DisplayToWorld()
            point = np.array(renderer.GetWorldPoint())
            ends.append(point[:3] / point[3] * 1e-3)
        found = [(far, name, m) for name, form in forms.items() for far, m in pierced(form, *ends)]
        return [(name, m) for _, name, m in sorted(found)]

    def probe(self, point):
        """Tell the values at a point (mm)."""
        result = self.bench.result()
        if result is None:
            return
        place = tuple(float(x) / 1e3 for x in point)
        v = self.bench.session.picture.library.values(result, drawn.References())
        quantities = list(
            dict.fromkeys(["temperature", *(x.quantity.name for x in self.bench.shown_scales), "speed", "pressure"])
        )
        told = []
        for name in quantities:
            try:
                q = v.quantity(name)
                value = float(v.at(name, [place])[0]) if q.place == "cells" else float("nan")
            except StithyError:
                continue
            if np.isfinite(value):
                told.append(f"{name} {shown.text(value, q.dimension)}" if len(told) else shown.text(value, q.dimension))
        at = v.grid.find(place)
        part = int(result.part[at]) if at is not None else -1
        where = result.parts[part] if part >= 0 else "fluid"
        spot = ", ".join(f"{x:.1f}" for x in point)
        if told:
            self.bench.clicked = place
            self.bench.painter.forget("clicked")
            self.bench.painter.row("clicked")
            self.bench.painter.label(place, f"{'   '.join(told[:2])}   {where}")
            self.bench.painter.row("")
            self.bench.view.ren_win.Render()
            self.bench.probed.emit(place, look.minus(f"{where}: {', '.join(told)} at {spot} mm"))
