"""One resolved layout, and the key that tells whether a result belongs to it."""

from __future__ import annotations

import hashlib
import json
from dataclasses import MISSING, dataclass, field, fields, is_dataclass

from .flow import Blower, FanPlane, Opening, PeriodicDrive, PorousBlock, ScreenPlane
from .parts import Contact, Enclosure, FaceGroup, FluidRegion, LeftOut, Passage, Plate, Solid, WallPatch
from .plan import Event, GridSettings, GridWish, Piece, RunSettings, Surroundings
from .sun import Sun

#: raised whenever the solver gives other numbers for the same model, so that older results are told to be out of date
PHYSICS = 1
#: fields that do not change a result, by class
SILENT = {
    "Model": {"layout", "names", "piece"},
    "RunSettings": {"relaxation"},
    "GridSettings": {"row", "lines", "sizes"},
    "Solid": {"tone"},
    "FanData": {"draw"},
    "FluidData": {"boiling"},
    "Event": {"name"},
    "Mesh": {"points", "triangles", "faces"},
    "Passage": {"name"},
    "Stack": {"maps", "vias"},
}


@dataclass(frozen=True)
class Model:
    """One layout, resolved. Temperatures K, pressures Pa, lengths m."""

    layout: str
    surroundings: Surroundings = Surroundings()
    enclosures: tuple[Enclosure, ...] = ()
    solids: tuple[Solid, ...] = ()
    passages: tuple[Passage, ...] = ()
    plates: tuple[Plate, ...] = ()
    regions: tuple[FluidRegion, ...] = ()
    left_out: tuple[LeftOut, ...] = ()
    patches: tuple[WallPatch, ...] = ()
    contacts: tuple[Contact, ...] = ()
    faces: tuple[FaceGroup, ...] = ()
    openings: tuple[Opening, ...] = ()
    fans: tuple[FanPlane, ...] = ()
    screens: tuple[ScreenPlane, ...] = ()
    porous: tuple[PorousBlock, ...] = ()
    blowers: tuple[Blower, ...] = ()
    drive: PeriodicDrive | None = None
    grid: GridSettings = GridSettings()
    run: RunSettings = RunSettings()
    names: dict = field(default_factory=dict, compare=False)
    piece: Piece | None = None
    sun: Sun | None = None
    wishes: tuple[GridWish, ...] = ()
    events: tuple[Event, ...] = ()

    @property
    def ambient(self) -> float:
        """Temperature outside, K."""
        return self.surroundings.ambient

    def key(self) -> str:
        """A hash of everything that makes the result, the version of the physics included: names of layouts and
        colours are left out. Equal layouts have one key."""
        known = self.__dict__.get("_key")
        if known is None:
            data = [PHYSICS, _telling(self)]
            if self.run.time is not None and self.surroundings.varying:
                data.append("closed gases breathe")
            if self.regions or self.passages or any(s.form is not None for s in self.solids):
                if any(o.side and (self.regions or o.kind == "velocity") for o in self.openings):
                    data.append("openings by what is open")
            if self.surroundings.mixing != "laminar" and any(o.developed for o in self.openings):
                data.append("developed by the Reynolds number")
            known = hashlib.sha256(json.dumps(data, sort_keys=True).encode()).hexdigest()[:16]
            self.__dict__["_key"] = known  # it is frozen: this cannot change
        return str(known)


def _telling(value):
    """A value for hashing: of models only what differs from the default, so that a new field leaves old results
    current."""
    if isinstance(value, float):
        return float(f"{value:.10g}")
    if is_dataclass(value):
        leave = SILENT.get(type(value).__name__, ())
        told = {f.name: (_telling(getattr(value, f.name)), f.default) for f in fields(value) if f.name not in leave}
        return {"is": type(value).__name__} | {
            name: x for name, (x, default) in told.items() if default is MISSING or x != _telling(default)
        }
    if isinstance(value, dict):
        return {k: _telling(v) for k, v in value.items()}
    if isinstance(value, list | tuple):
        return [_telling(v) for v in value]
    return value
