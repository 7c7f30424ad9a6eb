"""The units that results are shown in, chosen once by the user and kept for all projects."""

from __future__ import annotations

import json
from functools import lru_cache
from pathlib import Path

import numpy as np

from ..errors import StithyError
from ..project import units
from ..project.files import write_atomic

#: dimension -> what may be chosen, the usual one first
CHOICES = {
    "temperature": ("degC", "degF", "K"),
    "temperature difference": ("K", "degF"),
    "velocity": ("m/s", "ft/min", "km/h", "mm/s"),
    "pressure": ("Pa", "kPa", "mbar", "bar", "inH2O", "mmH2O", "psi"),
    "volume flow": ("m3/h", "l/min", "l/s", "cfm", "m3/s"),
    "mass flow": ("g/s", "kg/s", "kg/h"),
    "length": ("mm", "cm", "m", "in"),
    "heat flux": ("W/m2", "W/cm2", "kW/m2"),
    "power": ("W", "kW", "mW"),
    "heat transfer coefficient": ("W/m2/K", "kW/m2/K"),
    "ratio": ("", "%"),
    "share": ("%", ""),
    "volume": ("l", "ml", "m3"),
}
_PLAIN = {"ratio": "", "temperature difference": "K", "area": "mm2", "angle": "deg"}


def file() -> Path:
    """Where the choice is kept."""
    import platformdirs

    return Path(platformdirs.user_config_dir("stithy")) / "units.json"


@lru_cache(maxsize=1)
def _chosen() -> dict[str, str]:
    try:
        found = json.loads(file().read_text())
        return {k: v for k, v in found.items() if v in CHOICES.get(k, ())}
    except (OSError, ValueError, AttributeError):
        return {}


def choose(dimension: str, unit: str) -> None:
    """Show a dimension in a unit from now on. Raises StithyError for one that is not offered."""
    if unit not in CHOICES.get(dimension, ()):
        offered = ", ".join(u or "plain" for u in CHOICES.get(dimension, ()))
        raise StithyError(f"“{units.short(unit)}” is no unit for {dimension}. Choose one of {offered or 'none'}.")
    kept = _chosen() | {dimension: unit}
    file().parent.mkdir(parents=True, exist_ok=True)
    write_atomic(file(), json.dumps(kept, indent=1).encode())
    _chosen.cache_clear()
    _factor.cache_clear()


def unit(dimension: str) -> str:
    """The unit that a dimension is shown in, as it is written in cells."""
    if dimension in CHOICES:
        return _chosen().get(dimension, CHOICES[dimension][0])
    if dimension in _PLAIN:
        return _PLAIN[dimension]
    return units.DIMENSIONS[dimension][2].replace("**", "") if dimension in units.DIMENSIONS else dimension


@lru_cache(maxsize=256)
def _factor(dimension: str, unit_: str) -> tuple[float, float]:
    """SI size of the unit, and the SI value of its zero."""
    if dimension not in units.DIMENSIONS or not unit_:
        return 1.0, 0.0
    if dimension == "temperature difference":
        return (5 / 9 if unit_ == "degF" else 1.0), 0.0
    if unit_ == "%":
        return 0.01, 0.0
    ureg, si = units.registry(), units.DIMENSIONS[dimension][0]
    zero, one = (float(ureg.Quantity(x, units.tidy(unit_)).to(si).magnitude) for x in (0.0, 1.0))
    return one - zero, zero


def convert(values, dimension: str):
    """SI values in the unit shown."""
    size, zero = _factor(dimension, unit(dimension))
    return (np.asarray(values, float) - zero) / size


def back(value: float, dimension: str) -> float:
    """A shown value in SI."""
    size, zero = _factor(dimension, unit(dimension))
    return value * size + zero


def span(value: float, dimension: str) -> float:
    """A difference in SI as a difference in the unit shown."""
    return value / _factor(dimension, unit(dimension))[0]


def symbol(dimension: str) -> str:
    """The unit as it is printed."""
    return pretty(unit(dimension))


def pretty(text: str) -> str:
    """A unit as it is printed: degree sign, squares and cubes."""
    for a, b in (("degC", "°C"), ("degF", "°F"), ("m2", "m²"), ("m3", "m³"), ("s2", "s²"), ("s3", "s³")):
        text = text.replace(a, b)
    return text.replace("inH2O", "inH₂O").replace("mmH2O", "mmH₂O")


def number(value: float, digits: int = 4) -> str:
    """A number with so many digits that count, without powers of ten where that can be read."""
    if not np.isfinite(value):
        return "–"
    if value and not 1e-4 <= abs(value) < 1e7:
        return f"{value:.{digits - 1}e}"
    return f"{value:.{digits}g}" if abs(value) < 10**digits else f"{value:.0f}"


def text(value: float, dimension: str, digits: int = 4, with_unit: bool = True) -> str:
    """A value (SI) as it is shown, temperatures and their differences with one decimal."""
    shown = float(convert(value, dimension))
    told = f"{shown:.1f}" if dimension.startswith("temperature") and np.isfinite(shown) else number(shown, digits)
    return f"{told} {symbol(dimension)}".rstrip() if with_unit else told


def band(value: float, dimension: str) -> str:
    """A band (SI) as it is told beside a value: never as nothing."""
    x = span(value, "temperature difference" if dimension == "temperature" else dimension)
    return f"{max(x, 0.1):.1f}" if dimension.startswith(("temperature", "pressure")) else number(x, 2)


def beside(value: float, band_: float | None, dimension: str) -> str:
    """A value (SI) in the unit shown, without that, with as many decimals as its band has beside it."""
    if band_ is None or not np.isfinite(value):
        return text(value, dimension, with_unit=False)
    _, _, decimals = band(band_, dimension).partition(".")
    if "e" in decimals:
        return text(value, dimension, with_unit=False)
    return f"{float(convert(value, dimension)):.{len(decimals)}f}"


def with_band(value: float, band_: float | None, dimension: str) -> str:
    """A value (SI) with its band and unit, as "61.4 ± 0.6 °C"."""
    told = beside(value, band_, dimension)
    if band_ is not None:
        told += f" ± {band(band_, dimension)}"
    return f"{told} {symbol(dimension)}".rstrip()
