"""Quantities as people write them: "12 cfm", "35 degC", "0.4 inH2O", "220, 140, 60 mm", "= 2*airflow"."""

from __future__ import annotations

import re
from functools import lru_cache, wraps
from typing import Any

import pint

from ..errors import ValueProblem
from .expressions import evaluate, outside_quotes

#: dimension -> (SI unit, unit of a bare number, unit shown, example)
DIMENSIONS = {
    "length": ("m", "mm", "mm", "12 mm"),
    "temperature": ("K", "degC", "degC", "35 degC"),
    "power": ("W", "W", "W", "3.5 W"),
    "velocity": ("m/s", "m/s", "m/s", "0.5 m/s"),
    "volume flow": ("m**3/s", "m**3/h", "m**3/h", "12 cfm"),
    "mass flow": ("kg/s", "g/s", "g/s", "3 g/s"),
    "pressure": ("Pa", "Pa", "Pa", "0.4 inH2O"),
    "heat transfer coefficient": ("W/m**2/K", "W/m**2/K", "W/m**2/K", "8 W/m2/K"),
    "heat flux": ("W/m**2", "W/m**2", "W/m**2", "500 W/m2"),
    "conductivity": ("W/m/K", "W/m/K", "W/m/K", "18 W/m/K"),
    "acceleration": ("m/s**2", "m/s**2", "m/s**2", "9.81 m/s2"),
    "ratio": ("", "", "%", "45 %"),
    "density": ("kg/m**3", "kg/m**3", "kg/m**3", "1.2 kg/m3"),
    "viscosity": ("Pa*s", "Pa*s", "Pa*s", "1.8e-5 Pa s"),
    "specific heat": ("J/kg/K", "J/kg/K", "J/kg/K", "1006 J/kg/K"),
    "expansion": ("1/K", "1/K", "1/K", "0.0034 1/K"),
    "heat density": ("W/m**3", "W/m**3", "W/m**3", "1e5 W/m3"),
    "area resistance": ("m**2*K/W", "m**2*K/W", "m**2*K/W", "2e-5 m2 K/W"),
    "thermal resistance": ("K/W", "K/W", "K/W", "5 K/W"),
    "pressure gradient": ("Pa/m", "Pa/m", "Pa/m", "12 Pa/m"),
    "time": ("s", "s", "s", "30 s"),
    "angle": ("rad", "deg", "deg", "30 deg"),
    "temperature difference": ("delta_degC", "delta_degC", "delta_degC", "0.1 K"),
    "specific energy": ("m**2/s**2", "m**2/s**2", "m**2/s**2", "0.02 m2/s2"),
    "dissipation rate": ("m**2/s**3", "m**2/s**3", "m**2/s**3", "0.1 m2/s3"),
    "frequency": ("1/s", "1/s", "1/s", "12 1/s"),
    "area": ("m**2", "mm**2", "mm**2", "400 mm2"),
    "volume": ("m**3", "m**3", "m**3", "0.001 m3"),
    "force": ("N", "N", "N", "0.2 N"),
    "mass": ("kg", "g", "g", "250 g"),
    "conductance": ("W/K", "W/K", "W/K", "2 W/K"),
    "altitude": ("m", "m", "m", "1500 m"),
    "loss per length": ("1/m", "1/m", "1/m", "400 1/m"),
    "share": ("", "%", "%", "50 %"),
    "specific latent heat": ("J/kg", "kJ/kg", "kJ/kg", "88 kJ/kg"),
    "surface tension": ("N/m", "mN/m", "mN/m", "9 mN/m"),
    "molar mass": ("kg/mol", "g/mol", "g/mol", "316 g/mol"),
    "resistance to flow": ("1/m**2", "1/m**2", "1/m**2", "1e8 1/m2"),
}

#: characters of one value; a unit holds names, products, quotients, brackets and powers of one digit
LONGEST = 2000
_UNIT, _FIGURES, _POWER_OF = re.compile(r"[\w*/^() ²³-]{1,60}"), re.compile(r"(?<!\w)\d+"), ("**", "^", "**-", "^-")
#: dimension -> least and largest SI value that anything in the physical world this program is for has
BOUNDS = {
    "length": (-1e3, 1e3),
    "temperature": (1.0, 5000.0),
    "power": (-1e9, 1e9),
    "velocity": (-400.0, 400.0),
    "volume flow": (-1e5, 1e5),
    "mass flow": (-1e6, 1e6),
    "pressure": (-1e9, 1e9),
    "heat transfer coefficient": (-1e8, 1e8),
    "heat flux": (-1e11, 1e11),
    "conductivity": (-1e7, 1e7),
    "acceleration": (-1e5, 1e5),
    "ratio": (-1e9, 1e9),
    "density": (-1e5, 1e5),
    "viscosity": (-1e7, 1e7),
    "specific heat": (-1e7, 1e7),
    "expansion": (-10.0, 10.0),
    "heat density": (-1e15, 1e15),
    "area resistance": (-1e9, 1e9),
    "thermal resistance": (-1e9, 1e9),
    "pressure gradient": (-1e12, 1e12),
    "time": (-1e11, 1e11),
    "angle": (-100.0, 100.0),
    "temperature difference": (-5000.0, 5000.0),
    "specific energy": (-1e9, 1e9),
    "dissipation rate": (-1e12, 1e12),
    "frequency": (-1e12, 1e12),
    "area": (-1e7, 1e7),
    "volume": (-1e9, 1e9),
    "force": (-1e12, 1e12),
    "mass": (-1e9, 1e9),
    "conductance": (-1e12, 1e12),
    "altitude": (-1e5, 1e6),
    "loss per length": (-1e9, 1e9),
    "resistance to flow": (-1e20, 1e20),
    "share": (-1e3, 1e3),
    "specific latent heat": (0.0, 1e8),
    "surface tension": (0.0, 10.0),
    "molar mass": (0.0, 10.0),
}
#: part of a bound by which a value may pass it, because it was shown rounded
ROUNDING = 1e-9
_NUMBER = re.compile(r"^\s*([+\-]?(?:\d+\.?\d*|\.\d+)(?:[eE][+\-]?\d+)?)\s*(.*?)\s*$")


@lru_cache(maxsize=1)
def registry() -> pint.UnitRegistry:
    """The one unit registry of the program."""
    ureg: Any = pint.UnitRegistry(autoconvert_offset_to_baseunit=True, on_redefinition="ignore")
    ureg.define("cfm = foot ** 3 / minute")  # else centi-fermi
    return ureg


@lru_cache(maxsize=16384)
def tidy(text: str) -> str:
    """A text with signs that the unit library knows."""
    for a, b in (("−", "-"), ("°C", "degC"), ("°F", "degF"), ("²", "**2"), ("³", "**3"), ("·", "*"), ("%", "percent")):
        text = text.replace(a, b)
    text = re.sub(r"\b(mm|cm|m|s|h|in|ft)([23])\b", r"\1**\2", text)
    text = re.sub(r"\bmil\b", "thou", text)  # a length here, not an angle
    return re.sub(r"\bC\b", "degC", text) if re.fullmatch(r"[+\-\d.eE ]+C", text.strip()) else text


@lru_cache(maxsize=4096)
def _plain(text: str, default_unit: str) -> Any:
    ureg = registry()
    match = _NUMBER.match(tidy(text)) if len(text) <= LONGEST else None
    if not match:
        raise ValueProblem(text, f"“{short(text)}” is not a number with a unit.", "Write a number and a unit.")
    number, unit = float(match[1]), match[2] or default_unit
    if unit and not _may_be_unit(unit):
        raise ValueProblem(text, f"“{short(match[2])}” is no unit.", "Use a unit such as mm, cfm, degC, W or Pa.")
    try:
        return ureg.Quantity(number, unit)
    except Exception as error:  # pint raises many kinds for an unreadable unit
        raise ValueProblem(
            text, f"“{short(match[2])}” is no unit.", "Use a unit such as mm, cfm, degC, W or Pa."
        ) from error


def _may_be_unit(text: str) -> bool:
    """Whether a text has the form of a unit, so that the unit library may look at it: no powers of powers, none of two
    digits."""
    if not _UNIT.fullmatch(text) or re.search(r"(?:\*\*|\^)\s*[^\d-]|(?<!\*\*)(?<!\^)-", text):
        return False
    for figures in _FIGURES.finditer(text):
        power = text[: figures.start()].endswith(_POWER_OF)
        if (power and len(figures[0]) > 1) or (not power and figures[0] != "1"):
            return False
    return not re.search(r"(?:\*\*|\^)-?\d\s*(?:\*\*|\^)", text)


def short(text: str, most: int = 60) -> str:
    """A cell's text as it is told in a message: not all of a long one."""
    text = str(text)
    return text if len(text) <= most else text[: most - 1] + "…"


def quantity(text: str, default_unit: str = "", names: dict | None = None) -> Any:
    """A pint quantity from a cell's text: a number with a unit, or "=" and an expression over ``names``."""
    text = str(text).strip()
    if text.startswith("="):
        return evaluate(outside_quotes(text[1:], tidy), {} if names is None else names, registry())
    return _plain(text, default_unit)


def _calmly(work):
    """``work`` on a cell's text, with what the unit library cannot reckon with told as a refusal."""

    @wraps(work)
    def call(text, *a, **k):
        try:
            return work(text, *a, **k)
        except (OverflowError, ZeroDivisionError, RecursionError, AttributeError, TypeError) as error:
            raise ValueProblem(text, f"“{short(text)}” is no finite number.", "Write a number with a unit.") from error

    return call


@_calmly
def to_si(text: str, dimension: str, names: dict | None = None) -> float:
    """SI value of ``text``, checked against ``dimension`` (a key of :data:`DIMENSIONS`).

    Raises ValueProblem when it cannot be read or has another dimension.
    """
    if isinstance(text, str) and not text.lstrip().startswith("="):
        return _si(text, dimension)
    return _read(text, dimension, names)


@lru_cache(maxsize=16384)
def _si(text: str, dimension: str) -> float:
    """SI value of a text that needs no names: read once, however many layouts have it."""
    return _read(text, dimension, None)


def _read(text: str, dimension: str, names: dict | None) -> float:
    si, bare, _, example = DIMENSIONS[dimension]
    if str(text).strip() == "":
        raise ValueProblem(text, "is empty.", f"Give a {dimension}, for example {example}.")
    q = quantity(text, bare, names)
    ureg = registry()
    if not hasattr(q, "to"):
        q = ureg.Quantity(float(q), bare)
    elif q.dimensionless and si and bare and str(text).strip().startswith("="):
        q = ureg.Quantity(q.to("").magnitude, bare)
    if dimension == "temperature difference" and q.units in (ureg.kelvin, ureg.degC):
        return _within(text, float(q.magnitude), dimension)
    try:
        value = float(q.to(si or "").magnitude)
    except pint.DimensionalityError as error:
        raise ValueProblem(
            text, f"“{short(text)}” is a {_name(q)}, not a {dimension}.", f"Write it like {example}."
        ) from error
    except (ValueError, OverflowError, ArithmeticError) as error:
        raise ValueProblem(text, f"“{short(text)}” is no finite number.", f"Write it like {example}.") from error
    return _within(text, value, dimension)


def _within(text: str, value: float, dimension: str) -> float:
    """``value`` when it lies in the bounds of its dimension; raises ValueProblem."""
    low, high = BOUNDS[dimension]
    si, _, _, example = DIMENSIONS[dimension]
    if not low - ROUNDING * abs(low) <= value <= high + ROUNDING * abs(high):
        if dimension == "temperature" and value <= 0.0:
            raise ValueProblem(text, f"“{short(text)}” is below absolute zero.", f"Write it like {example}.")
        if not abs(value) < 1e30:
            raise ValueProblem(text, f"“{short(text)}” is no finite number.", f"Write it like {example}.")
        most = high if value > high else low
        raise ValueProblem(
            text,
            f"“{short(text)}” is out of all proportion.",
            f"Give {'at most' if value > high else 'at least'} {most:g} {si.replace('**', '')}, for example {example}.",
        )
    return value


@_calmly
def dimension_of(text: str, allowed: tuple[str, ...], names: dict | None = None) -> str:
    """Which of the ``allowed`` dimensions ``text`` has; raises ValueProblem when none."""
    if isinstance(text, str) and not text.lstrip().startswith("="):
        return _kind(text, tuple(allowed))
    return _which(text, allowed, names)


@lru_cache(maxsize=16384)
def _kind(text: str, allowed: tuple[str, ...]) -> str:
    """Dimension of a text that needs no names."""
    return _which(text, allowed, None)


def _which(text: str, allowed: tuple[str, ...], names: dict | None) -> str:
    q = quantity(text, "", names)
    for name in allowed:
        if q.check(registry().Quantity(1.0, DIMENSIONS[name][0] or "").dimensionality) and not q.dimensionless:
            return name
    what = "a bare number" if q.dimensionless else f"a {_name(q)}"
    raise ValueProblem(
        text, f"“{short(text)}” is {what}.", "Write " + " or ".join(DIMENSIONS[a][3] for a in allowed) + "."
    )


def _name(q: Any) -> str:
    for name, (si, *_rest) in DIMENSIONS.items():
        if si and q.check(registry().Quantity(1.0, si).dimensionality):
            return name.replace(" difference", "")
    return f"quantity in {q.units:~P}"


def split(text: str) -> list[str]:
    """The parts of a vector cell; a unit after the last number serves the parts that have none."""
    return list(_split(str(text)))


@lru_cache(maxsize=16384)
def _split(text: str) -> tuple[str, ...]:
    parts = [p.strip() for p in re.split(r"[,;×]|\sx\s", str(text)) if p.strip()]
    if parts and not parts[-1].startswith("="):
        match = _NUMBER.match(tidy(parts[-1]))
        unit = match[2] if match else ""
        parts = [
            f"{p} {unit}" if unit and not p.startswith("=") and (m := _NUMBER.match(tidy(p))) and not m[2] else p
            for p in parts
        ]
    return tuple(parts)


def unit_of(text: str) -> str:
    """The unit that a text of one number ends in; empty where it has none, or is an expression."""
    match = _NUMBER.match(tidy(text)) if not text.strip().startswith("=") else None
    return match[2] if match else ""


#: how vectors are written, by dimension and count
VECTORS = {
    ("length", 2): "40, 40 mm",
    ("length", 3): "220, 140, 60 mm",
    ("acceleration", 3): "0, 0, -9.81 m/s2",
    ("velocity", 3): "0, 0, 2 m/s",
    ("angle", 3): "0, 90, 0 deg",
    ("ratio", 3): "0, 0, 1",
}


def vector(text: str, dimension: str, count: int, names: dict | None = None) -> Any:
    """``count`` SI values from a cell such as "220, 140, 60 mm" (also with × or x between)."""
    parts = split(text)
    if len(parts) != count:
        example = VECTORS.get((dimension, count), "1, 2 mm")
        raise ValueProblem(text, f"“{short(text)}” has {len(parts)} of {count} numbers.", f"Write it like {example}.")
    return tuple(to_si(p, dimension, names) for p in parts)


def show(value: float, dimension: str, digits: int = 4) -> str:
    """A cell's text for an SI ``value``, in the unit usually shown."""
    si, _, shown, _ = DIMENSIONS[dimension]
    if dimension == "ratio":
        return f"{value * 100:.{digits}g} %"
    magnitude = registry().Quantity(value, si).to(shown).magnitude
    return f"{magnitude:.{digits}g} {shown.replace('**', '')}"
