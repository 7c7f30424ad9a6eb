"""A resolved layout in the trade's words and SI numbers: no units, no expressions, nothing left to choose.

May import ``shapes``, ``project`` and ``errors``. Start at :class:`stithy.model.layout.Model`.
"""

from .flow import Blower, FanPlane, Opening, PeriodicDrive, PorousBlock, Port, ScreenPlane
from .layout import Model
from .parts import (
    BLACKENED,
    Contact,
    Enclosure,
    FaceGroup,
    Finish,
    FluidRegion,
    LeftOut,
    OuterAir,
    Passage,
    Plate,
    Pool,
    Solid,
    WallCondition,
    WallPatch,
)
from .plan import Event, GridSettings, GridWish, Rule, RunSettings, Surroundings, TimePlan
from .stack import Stack, StackLayer
from .sun import Sun

__all__ = [
    "BLACKENED",
    "Contact",
    "Enclosure",
    "Event",
    "FaceGroup",
    "Finish",
    "Blower",
    "FanPlane",
    "FluidRegion",
    "GridSettings",
    "GridWish",
    "LeftOut",
    "Model",
    "Opening",
    "OuterAir",
    "Passage",
    "PeriodicDrive",
    "Plate",
    "Pool",
    "PorousBlock",
    "Port",
    "Rule",
    "RunSettings",
    "ScreenPlane",
    "Solid",
    "Stack",
    "StackLayer",
    "Sun",
    "Surroundings",
    "TimePlan",
    "WallCondition",
    "WallPatch",
]
