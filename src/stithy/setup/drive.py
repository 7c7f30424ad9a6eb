"""What keeps the flow of a periodic model going."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from ..errors import Problem
from ..mesh.gridding import decays
from ..mesh.occupancy import FLUID
from ..model import Model
from ..project.kind import LOAD
from .case import Case, Drive


def drive(model: Model, case: Case, found: list[Problem]) -> Drive | None:
    """The drive of a model; notes an axis that is not periodic."""
    push = model.drive
    if push is None:
        return None
    axis = "xyz"[push.axis]
    if axis not in case.periodic:
        found.append(
            Problem(
                push.name,
                "along",
                f"the sides {axis}- and {axis}+ are not periodic.",
                "Write periodic for both in the sides of the enclosure.",
                LOAD,
                "along",
            )
        )
        return None
    if push.kind == "gradient":
        return Drive(axis, gradient=push.value, sign=push.sign)
    index = [slice(None)] * 3
    open_ = case.kind == FLUID
    area = (
        np.prod(
            np.meshgrid(
                *[case.grid.widths[a] if a != push.axis else np.ones(case.grid.shape[a]) for a in range(3)],
                indexing="ij",
            ),
            axis=0,
        )
        * open_
    )
    index[push.axis] = int(np.argmax(area.sum(axis=tuple(a for a in range(3) if a != push.axis))))
    cells = tuple(index)
    rho = np.array([f.rho for f in case.fluids])[case.fluid_of[cells]]
    per = {"velocity": (rho * area[cells]).sum(), "volume": (rho * area[cells]).sum() / area[cells].sum(), "mass": 1.0}
    return Drive(axis, mass_flow=push.value * float(per[push.kind]), sign=push.sign)


def shrinking(model: Model, case: Case) -> Drive | None:
    """The drive, told that all walls have one temperature and nothing else gives heat, where that is so."""
    outside = case.links.temperature
    if case.fixed is not None:
        outside = np.concatenate([outside, case.fixed[np.isfinite(case.fixed)]])
    if case.drive is None or model.drive is None or not len(outside) or not decays(model) or model.run.time is not None:
        return case.drive
    level = float(outside[0])
    if abs(level - model.drive.entering) < 1e-6:
        return case.drive  # all is at one temperature
    return replace(case.drive, wall="given temperature", level=level, entering=model.drive.entering)
