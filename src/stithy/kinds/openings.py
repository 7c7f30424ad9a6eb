"""What openings, fans, pumps and screens share: where they are, fan curves, turbulence of what comes in."""

from __future__ import annotations

from ..errors import ValueProblem
from ..project import library, units
from ..project.library import FanData
from ..project.reader import Reader
from .cells import SIDES

#: Pa: the air that fan curves are measured in
SEA_LEVEL = 101325.0

Rectangle = tuple[tuple[float, float], tuple[float, float]]


def rectangle(r: Reader, row) -> Rectangle:
    """The two spans (m) of a row's low corner and size in its wall."""
    at = r.vector(row, "at", "length", 2, 0.0)
    size = r.vector(row, "size", "length", 2, 1e-3, above=0.0)
    return (at[0], at[0] + size[0]), (at[1], at[1] + size[1])


def in_wall(r: Reader, row, default: str = "x-") -> tuple[str, str, Rectangle]:
    """Enclosure, side and rectangle of what lies in a wall."""
    return r.choice(row, "on", r.names_of("enclosure"), ""), r.choice(row, "side", SIDES, default), rectangle(r, row)


def in_wall_or_plate(r: Reader, row) -> tuple[str, str, Rectangle]:
    """As :func:`in_wall`; on a blanking plate its name, no side and no rectangle."""
    if row.text("on") in r.names_of("blanking plate"):
        return row.text("on"), "", ((0.0, 0.0), (0.0, 0.0))
    choices = [*r.names_of("enclosure"), *r.names_of("blanking plate")]
    return r.choice(row, "on", choices, ""), r.choice(row, "side", SIDES, "x-"), rectangle(r, row)


def plane(r: Reader, row, axis: int) -> tuple[float, Rectangle]:
    """Position (m) along ``axis`` and the two spans across it of a plane inside the fluid."""
    at = r.vector(row, "at", "length", 3, 0.0)
    size = r.vector(row, "size", "length", 2, 1e-3, above=0.0)
    one, other = (a for a in range(3) if a != axis)
    return at[axis], ((at[one], at[one] + size[0]), (at[other], at[other] + size[1]))


def entering(r: Reader, row) -> float:
    """Temperature (K) of what enters."""
    return r.maybe(row, "temperature", "temperature", r.surroundings.ambient, above=50.0)


def loss(r: Reader, row) -> float:
    """Loss coefficient on the approach speed: the given one, or that of a plate with the given free area."""
    free = r.value(row, "free", "ratio", 0.5, above=0.0, most=1.0)
    known = library.screens()
    if row.text("loss") in known:
        return known[row.text("loss")]
    return r.maybe(row, "loss", "ratio", library.plate_loss(free), least=0.0)


def turbulence(r: Reader, row) -> tuple[float, float]:
    """Intensity, and length of the eddies (m; 0: from the opening's size)."""
    parts = units.split(row.turbulence) if "," in row.turbulence else [row.turbulence.strip()]
    if not parts[0]:
        return 0.05, 0.0
    try:
        intensity = units.to_si(
            parts[0].replace(" mm", " %") if parts[0].endswith("mm") else parts[0], "ratio", r.names
        )
        length = units.to_si(parts[1], "length", r.names) if len(parts) > 1 else 0.0
        if not 0.0 <= intensity <= 1.0 or length < 0.0:
            raise ValueProblem(
                row.turbulence, f"“{units.short(row.turbulence)}” is no share of the speed from 0 to 100 %.", ""
            )
        return intensity, length
    except ValueProblem as error:
        r.note(row, "turbulence", error.what, "Write 5 %, or 5 %, 4 mm.")
        return 0.05, 0.0


def direction(r: Reader, row) -> tuple[int, int]:
    """Axis and sign of the cell that says where a fan blows."""
    blows = r.choice(row, "blows", SIDES, "x+")
    return "xyz".index(blows[0]), 1 if blows[1] == "+" else -1


def fan(r: Reader, row) -> FanData:
    """The row's fan curve at its speed (flow goes with speed, pressure with its square), and in the air of the place:
    curves are those of sea level, and pressure goes with density. Pumps, and fluids of one density, know no altitude.
    """
    text = row.curve.strip()
    known = library.pumps() if row.kind == "pump" else library.fans()
    full = known.get(text) or _curve(r, row, text)
    part = r.value(row, "speed", "ratio", 1.0, above=0.0, most=2.0)
    air = row.kind != "pump" and any(x.text("fluid") in ("", "air") for x in r.of("enclosure"))
    thin = r.surroundings.pressure / SEA_LEVEL if air and r.surroundings is not None else 1.0
    return FanData(
        tuple(q * part for q in full.flow), tuple(p * part**2 * thin for p in full.rise), full.draw * part**3 * thin
    )


def _curve(r: Reader, row, text: str) -> FanData:
    """The curve of points such as 0 m3/h: 40 Pa; 10 m3/h: 0 Pa."""
    plain = FanData((0.0, 1.0), (1.0, 0.0))
    remedy = "Write points such as 0 m3/h: 40 Pa; 6 m3/h: 22 Pa; 10 m3/h: 0 Pa."
    if ":" not in text:
        r.choice(row, "curve", library.pumps() if row.kind == "pump" else library.fans(), "")
        return plain
    flow, rise = [], []
    try:
        for point in text.split(";"):
            q, p = point.split(":")
            flow.append(units.to_si(q, "volume flow", r.names))
            rise.append(units.to_si(p, "pressure", r.names))
    except (ValueProblem, ValueError) as error:
        r.note(row, "curve", f"“{text}” cannot be read ({error}).", remedy)
        return plain
    if len(flow) < 2 or flow[0] != 0 or any(b <= a for a, b in zip(flow, flow[1:], strict=False)) or rise[0] <= 0:
        r.note(row, "curve", "must start at no flow with a positive pressure, and flows must rise.", remedy)
        return plain
    return FanData(tuple(flow), tuple(rise))
