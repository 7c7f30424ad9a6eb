"""What acts on the shapes: wall conditions, flows through openings, fans, contacts, what drives periodic flow, the clock."""
from __future__ import annotations

from ..errors import StithyError, ValueProblem
from ..project import library, units
from ..project.library import FluidData, Material
from ..project.model import Area, Clock, Contact, End, Inside, Push, Region, Screen, Wall
from ..project.resolve import Reader

SIDES = ("x-", "x+", "y-", "y+", "z-", "z+")
OPENINGS = ("opening", "vent", "wall fan")
SOLIDS = ("board", "component", "block", "cylinder", "outline", "tube", "triangulated", "plate-fin sink", "pin-fin sink")


def fluid(r: Reader, row, ambient: float, pressure: float, varying: bool) -> tuple[FluidData, str]:
    """The fluid a row names: one of the project's own, or of the library."""
    own = {x.name: x for x in r.of("fluid")}
    name = r.choice(row, "fluid", [*own, *library.fluid_names()], "air")
    if name not in own:
        data = library.fluid(name, ambient, pressure, varying)
        if data.table is not None and not data.table[0][0] <= ambient <= data.table[-1][0]:
            low, high = (data.table[m][0] - 273.15 for m in (0, -1))
            r.note(row, "fluid", f"“{name}” is known from {low:.0f} to {high:.0f} degC only, and the ambient temperature lies outside.",
                   "Choose another ambient temperature or fluid, or constant properties.")
        return data, name
    f = own[name]
    return FluidData(r.value(f, "conductivity", "conductivity", 1.0, above=0.0), r.value(f, "density", "density", 1.0, above=0.0),
                     r.value(f, "heat_capacity", "specific heat", 1.0, above=0.0),
                     r.value(f, "viscosity", "viscosity", 1.0, above=0.0), r.value(f, "expansion", "expansion", 0.0)), name


def material(r: Reader, row, ambient: float) -> tuple[Material, tuple[float, float, float], tuple | None]:
    """The row's solid, its conductivity along x, y, z, and how that changes: rows of temperature (K) and ratio, or None.

    The project's own materials come before the library's.
    """
    own = {x.name: x for x in r.of("material")}
    name = row.material.strip()
    if name not in own:
        m = r.material(row, list(own))
        return m, (m.k,) * 3, None
    f, table = own[name], None
    if ":" in f.conductivity:
        k, table = _conductivity_table(r, f, ambient)
    elif len(units.split(f.conductivity)) == 3:
        k = r.vector(f, "conductivity", "conductivity", 3, 1.0, above=0.0)
    else:
        k = (r.value(f, "conductivity", "conductivity", 1.0, above=0.0),) * 3
    return Material(name, max(k), min(k), r.value(f, "density", "density", 1.0, above=0.0),
                    r.value(f, "heat_capacity", "specific heat", 1.0, above=0.0), "#9AA79B"), k, table


def _conductivity_table(r: Reader, row, ambient: float):
    """Conductivity at ambient temperature, and the table of its ratio to that."""
    try:
        points = [(units.to_si(t, "temperature", r.names), units.to_si(k, "conductivity", r.names))
                  for t, k in (p.split(":") for p in row.conductivity.split(";") if p.strip())]
        if any(b[0] <= a[0] for a, b in zip(points, points[1:], strict=False)) or min(k for _, k in points) <= 0:
            raise ValueError("temperatures must rise, and conductivities be above 0")
    except (ValueError, ValueProblem) as error:
        r.note(row, "conductivity", f"“{row.conductivity}” cannot be read ({error}).", "Write 20 degC: 200 W/m/K; 100 degC: 185 W/m/K.")
        return (1.0,) * 3, None
    at, k = zip(*points, strict=True)
    reference = interpolate(ambient, at, k)
    return (reference,) * 3, tuple((t, x / reference) for t, x in points)


def interpolate(x: float, at, values) -> float:
    """Linear between points, level beyond them."""
    for (a, b), (u, v) in zip(zip(at, at[1:], strict=False), zip(values, values[1:], strict=False), strict=True):
        if x < b:
            return u + (v - u) * max(x - a, 0.0) / (b - a)
    return values[-1]


def wall(r: Reader, row, key: str, text: str) -> Wall:
    """A wall's condition from its words."""
    text = text.strip()
    if text in ("adiabatic", "symmetry", "periodic"):
        return Wall(text)
    kinds = {"heat transfer coefficient": "coefficient", "temperature": "temperature", "heat flux": "flux"}
    try:
        if text.startswith("sliding"):
            return Wall("adiabatic", slides=units.vector(text[7:], "velocity", 3, r.names))
        first, _, to = text.partition(" to ")
        dimension = units.dimension_of(first, tuple(kinds), r.names)
        value = units.to_si(first, dimension, r.names)
        ambient = units.to_si(to, "temperature", r.names) if to else None
    except (ValueProblem, StithyError) as error:
        r.note(row, key, getattr(error, "what", str(error)),
               "Write adiabatic, symmetry, periodic, 8 W/m2/K, 8 W/m2/K to 40 degC, 60 degC, 500 W/m2 or sliding 1, 0, 0 m/s.")
        return Wall("adiabatic")
    if dimension == "heat transfer coefficient" and value < 0:
        r.note(row, key, "is negative.", "Give a positive heat transfer coefficient.")
    return Wall(kinds[dimension], value, ambient)


def power(r: Reader, row, volume: float, surface: float) -> tuple[float, float | None]:
    """Heat load (W) and held temperature (K or None) of a solid's cell: W, W/m3, W/m2 or a temperature."""
    text = getattr(row, "power", "0 W").strip()
    try:
        kind = units.dimension_of(text, ("power", "heat density", "heat flux", "temperature"), r.names)
    except (ValueProblem, StithyError):
        return r.value(row, "power", "power", 0.0), None
    value = r.value(row, "power", kind, 293.15)
    if kind == "temperature":
        return 0.0, value
    return value * {"power": 1.0, "heat density": volume, "heat flux": surface}[kind], None


def profile(r: Reader, row) -> tuple[tuple[float, float], ...]:
    """Share of the load in time: points (s, share); a duty cycle becomes ("on", seconds), ("off", seconds) as two negative times."""
    text = getattr(row, "profile", "").strip()
    if not text:
        return ()
    try:
        if text.startswith("on"):
            on, off = (part.strip() for part in text.split(","))
            lasts = units.to_si(on[2:], "time", r.names), units.to_si(off[3:], "time", r.names)
            if not (on.startswith("on") and off.startswith("off")) or min(lasts) <= 0.0:
                raise ValueError("both times must be above 0 s")
            return ((-lasts[0], 1.0), (-lasts[1], 0.0))
        points = tuple((units.to_si(t, "time", r.names), units.to_si(x, "ratio", r.names))
                       for t, x in (p.split(":") for p in text.split(";")))
    except (ValueError, ValueProblem) as error:
        r.note(row, "profile", f"“{units.short(text)}” cannot be read ({error}).", "Write 0 s: 100 %; 60 s: 20 %, or on 30 s, off 60 s.")
        return ()
    if any(x < 0.0 for _, x in points):
        r.note(row, "profile", "has a share below 0 %.", "Give shares of the load from 0 % on.")
        return ()
    if any(b[0] < a[0] for a, b in zip(points, points[1:], strict=False)) or points[0][0] < 0:
        r.note(row, "profile", "has times that do not rise.", "Give times that rise from 0 s.")
        return ()
    return points


def junction(r: Reader, row) -> tuple[float, float, str] | None:
    """The two resistances of a component, when both are given."""
    case, board = row.junction_to_case.strip(), row.junction_to_board.strip()
    if not case and not board:
        return None
    if not (case and board):
        r.note(row, "junction_to_board" if case else "junction_to_case", "is empty, but the other resistance is given.",
               "Give both resistances, or neither.")
        return None
    return (r.value(row, "junction_to_case", "thermal resistance", 1.0, above=0.0),
            r.value(row, "junction_to_board", "thermal resistance", 1.0, above=0.0), r.choice(row, "case_side", SIDES, "z+"))


def rectangle(r: Reader, row):
    """The two spans of a row's low corner and size in its wall."""
    at = r.vector(row, "at", "length", 2, 0.0)
    size = r.vector(row, "size", "length", 2, 1e-3, above=0.0)
    return tuple((a, a + s) for a, s in zip(at, size, strict=True))


def end(r: Reader, row, ambient: float) -> End:
    """An opening, vent or wall fan."""
    space = r.choice(row, "on", [x.name for x in r.of("enclosure")], "")
    side = r.choice(row, "side", SIDES, "x-")
    rect = rectangle(r, row)
    more = {"temperature": r.maybe(row, "temperature", "temperature", ambient, above=50.0)}
    kind, value = "pressure", 0.0
    if row.kind == "opening":
        kind, value, more["head"] = _flow(r, row)
        more["developed"] = r.choice(row, "profile", ("uniform", "developed"), "uniform") == "developed"
        more["turbulence"] = _turbulence(r, row)
        more["serves"] = row.serves.strip()
    elif row.kind == "vent":
        free = r.value(row, "free", "ratio", 0.5, above=0.0, most=1.0)
        more["loss"] = r.maybe(row, "loss", "ratio", library.plate_loss(free), least=0.0)
        more["turbulence"] = _turbulence(r, row)
    else:
        more["turbulence"] = _turbulence(r, row)
        more["fan_sign"] = 1 if r.choice(row, "blows", ("in", "out"), "in") == "in" else -1
        more["fan"] = r.fan(row)
        more["hub"] = r.maybe(row, "hub", "length", 0.0, least=0.0)
    return End(row.name, row.kind, space, side, rect, kind, value, **more)


def _turbulence(r: Reader, row) -> tuple[float, float]:
    parts = units.split(row.turbulence) if "," in row.turbulence else [row.turbulence.strip()]
    if not parts[0]:
        return 0.05, 0.0
    try:
        intensity = units.to_si(parts[0].replace(" mm", " %") if parts[0].endswith("mm") else parts[0], "ratio", r.names)
        length = units.to_si(parts[1], "length", r.names) if len(parts) > 1 else 0.0
        if not 0.0 <= intensity <= 1.0 or length < 0.0:
            raise ValueProblem(row.turbulence, f"“{units.short(row.turbulence)}” is no share of the speed from 0 to 100 %.", "")
        return intensity, length
    except ValueProblem as error:
        r.note(row, "turbulence", error.what, "Write 5 %, or 5 %, 4 mm.")
        return 0.05, 0.0


def _flow(r: Reader, row) -> tuple[str, float, bool]:
    """Kind, SI value, and whether what enters has lost its dynamic head from rest."""
    text = row.flow.strip()
    if text == "ambient":
        return "pressure", 0.0, True
    head = True
    for word, rest in (("total ", True), ("static ", False)):
        if text.startswith(word):
            text, head = text[len(word):], rest
    kinds = {"velocity": "velocity", "volume flow": "volume", "mass flow": "mass", "pressure": "pressure"}
    try:
        dimension = units.dimension_of(text, tuple(kinds), r.names)
        return kinds[dimension], units.to_si(text, dimension, r.names), head
    except ValueProblem as error:
        r.note(row, "flow", error.what, "Write ambient, 0.5 m/s, 12 cfm, 3 g/s, 0 Pa, total 5 Pa or static 5 Pa.")
        return "pressure", 0.0, True


def _plane(r: Reader, row, axis: int):
    at = r.vector(row, "at", "length", 3, 0.0)
    size = r.vector(row, "size", "length", 2, 1e-3, above=0.0)
    across = [a for a in range(3) if a != axis]
    return at[axis], tuple((at[a], at[a] + s) for a, s in zip(across, size, strict=True))


def inside(r: Reader, row) -> Inside:
    """A fan or a pump inside the fluid."""
    blows = r.choice(row, "blows", SIDES, "x+")
    axis = "xyz".index(blows[0])
    position, rect = _plane(r, row, axis)
    more = (r.maybe(row, "hub", "length", 0.0, least=0.0), r.maybe(row, "swirl", "ratio", 0.0)) if row.kind == "inside fan" else ()
    return Inside(row.name, axis, position, rect, 1 if blows[1] == "+" else -1, r.fan(row), *more)


def screen(r: Reader, row) -> Screen:
    """A perforated plate or filter inside the fluid."""
    axis = "xyz".index(r.choice(row, "across", ("x", "y", "z"), "x"))
    position, rect = _plane(r, row, axis)
    free = r.value(row, "free", "ratio", 0.5, above=0.0, most=1.0)
    return Screen(row.name, axis, position, rect, r.maybe(row, "loss", "ratio", library.plate_loss(free), least=0.0))


def area(r: Reader, row) -> Area:
    """A part of a wall with its own condition."""
    space = r.choice(row, "on", [x.name for x in r.of("enclosure")], "")
    condition = wall(r, row, "condition", row.condition)
    if condition.kind in ("symmetry", "periodic") or condition.slides:
        r.note(row, "condition", f"“{row.condition}” is for whole sides.", "Write it in the sides of the enclosure.")
    return Area(row.name, space, r.choice(row, "side", SIDES, "z-"), rectangle(r, row), condition)


def contact(r: Reader, row) -> Contact:
    """A contact resistance, given as such or as a layer of thickness and conductivity."""
    parts = [x.name for x in r.of(*SOLIDS, "enclosure")]
    of = r.choice(row, "of", parts, "")
    to = r.choice(row, "to", parts, "") if row.to.strip() else ""
    text = row.resistance
    if "," in text:
        thick, conductivity = (p.strip() for p in text.split(",", 1))
        try:
            value = units.to_si(thick, "length", r.names) / units.to_si(conductivity, "conductivity", r.names)
        except (ValueProblem, ZeroDivisionError) as error:
            r.note(row, "resistance", getattr(error, "what", "is no layer."), "Write 2e-5 m2 K/W, or 0.1 mm, 1.5 W/m/K.")
            value = 0.0
    else:
        value = r.value(row, "resistance", "area resistance", 0.0, least=0.0)
    return Contact(row.name, of, to, value)


def region(r: Reader, row, ambient: float, pressure: float, varying: bool) -> Region:
    """A fluid space's own fluid."""
    return Region(row.name, r.vector(row, "at", "length", 3, 0.0), *fluid(r, row, ambient, pressure, varying), starts(r, row))


def starts(r: Reader, row) -> float | None:
    """Temperature (K) at the start of a run, or None."""
    return r.value(row, "starts", "temperature", 293.15, above=50.0) if row.starts.strip() else None


def push(r: Reader, ambient: float) -> Push | None:
    """What drives a periodic flow: the first drive row."""
    for row in r.of("drive"):
        along = r.choice(row, "along", SIDES, "x+")
        kinds = {"velocity": "velocity", "volume flow": "volume", "mass flow": "mass", "pressure gradient": "gradient"}
        try:
            dimension = units.dimension_of(row.flow, tuple(kinds), r.names)
            value = units.to_si(row.flow, dimension, r.names)
        except ValueProblem as error:
            r.note(row, "flow", error.what, "Write 0.5 m/s, 12 cfm, 3 g/s or 12 Pa/m.")
            return None
        return Push(row.name, "xyz".index(along[0]), 1 if along[1] == "+" else -1, kinds[dimension], value,
                    r.maybe(row, "temperature", "temperature", ambient, above=50.0))
    return None


def clock(r: Reader, row) -> Clock | None:
    """How a run follows time, or None when it is steady."""
    if row.time.strip() in ("steady", ""):
        return None
    length = r.value(row, "time", "time", 1.0, above=0.0)
    text, step = row.step.strip(), ("auto", 0.0)
    if text.lower().startswith("courant"):
        try:
            step = ("courant", units.to_si(text[7:], "ratio", r.names))
        except ValueProblem as error:
            r.note(row, "step", error.what, "Write 0.5 s, Courant 2 or auto.")
    elif text != "auto":
        step = ("fixed", r.value(row, "step", "time", 1.0, above=0.0))
    return Clock(length, step, r.maybe(row, "hold_flow", "time", 0.0, above=0.0), r.maybe(row, "save_every", "time", 0.0, above=0.0))
