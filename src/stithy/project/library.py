"""Materials, fluids, fans and perforated plates; the user's own files in ~/.config/stithy add to them."""

from __future__ import annotations

import math
import tomllib
from dataclasses import dataclass, replace
from functools import lru_cache
from importlib import resources
from typing import Any

import numpy as np
import platformdirs

from ..errors import FileProblem

AT_SEA, ZERO = 101325.0, 273.15  # Pa, K
_BOILS = ("temperature", "latent", "density", "cp", "k", "surface_tension", "critical_pressure", "molar_mass")
USER = platformdirs.user_config_path("stithy")


@dataclass(frozen=True)
class Material:
    """k in the plane and through it (W/m/K), rho kg/m3, cp J/kg/K; ``tone`` is its colour, ``finish`` what its surface
    is like as it comes; ``by_temperature`` (K, W/m/K) where that changes; ``source`` of its numbers."""

    name: str
    k: float
    k_through: float
    rho: float
    cp: float
    tone: str
    finish: str = ""
    by_temperature: tuple[tuple[float, float], ...] = ()
    source: str = ""


@dataclass(frozen=True)
class Boiling:
    """A liquid at saturation under an absolute ``pressure`` (Pa): ``temperature`` K, ``latent`` heat J/kg; of its
    vapour ``density`` kg/m3, ``cp`` J/kg/K, ``k`` W/m/K; ``surface_tension`` N/m, ``critical_pressure`` Pa,
    ``molar_mass`` kg/mol."""

    pressure: float
    temperature: float
    latent: float
    density: float
    cp: float
    k: float
    surface_tension: float
    critical_pressure: float
    molar_mass: float

    @property
    def by_pressure(self) -> float:
        """K by which saturation rises with a Pa of pressure, of an ideal vapour far lighter than the liquid (Clausius
        and Clapeyron)."""
        return self.temperature / (self.latent * self.density)

    def under(self, pressure: float) -> Boiling:
        """The same liquid under another ``pressure`` (Pa), with its latent heat as it is (Clausius and Clapeyron)."""
        gas = 8.31446 / self.molar_mass
        hot = 1.0 / (1.0 / self.temperature - gas / self.latent * math.log(pressure / self.pressure))
        density = self.density * pressure / self.pressure * self.temperature / hot
        return replace(self, pressure=pressure, temperature=hot, density=density)


@dataclass(frozen=True)
class FluidData:
    """k W/m/K, rho kg/m3, cp J/kg/K, mu Pa s, beta 1/K; ``table`` rows of T (K), rho, mu, cp, k when they vary;
    ``boiling`` under the pressure of the surroundings, None where it is not known."""

    k: float
    rho: float
    cp: float
    mu: float
    beta: float
    table: tuple[tuple[float, ...], ...] | None = None
    boiling: Boiling | None = None


@dataclass(frozen=True)
class FanData:
    """Volume flow m3/s and static pressure rise Pa at full speed; ``draw`` W, 0 when not known."""

    flow: tuple[float, ...]
    rise: tuple[float, ...]
    draw: float = 0.0


@dataclass(frozen=True)
class Package:
    """A component's body: ``size`` (m; two along the board, height), ``material``, resistances from junction to case
    and to board (K/W; None: a block), or a ``network`` as of a component's cell; ``source`` of its numbers."""

    size: tuple[float, float, float]
    material: str
    resistances: tuple[float, float] | None = None
    network: str = ""
    source: str = ""


@lru_cache(maxsize=16)
def _table(name: str) -> dict:
    table = tomllib.loads(resources.files("stithy.data").joinpath(f"{name}.toml").read_text())
    own = USER / f"{name}.toml"
    if own.exists():
        try:
            added = tomllib.loads(own.read_text(encoding="utf-8"))
        except (OSError, ValueError) as error:
            raise FileProblem(
                f"{own}: your own library cannot be read ({error}). Correct it, or take it away."
            ) from error
        needed = set.intersection(*(set(v) for v in table.values()))
        for entry, values in added.items():
            missing = needed - set(values) if isinstance(values, dict) else needed
            if missing:
                raise FileProblem(
                    f"{own}: “{entry}” lacks {', '.join(sorted(missing))}. Add it, or take the entry away."
                )
        table |= added
    return table


@lru_cache(maxsize=1)
def materials() -> dict[str, Material]:
    """All solids by name."""
    return {
        n: Material(
            n,
            v["k"],
            v.get("k_through", v["k"]),
            v["rho"],
            v["cp"],
            v.get("tone", "#A79F8E"),
            v.get("finish", ""),
            tuple((t + ZERO, float(k)) for t, k in v.get("by_temperature", ())),
            v.get("source", ""),
        )
        for n, v in _table("materials").items()
    }


@lru_cache(maxsize=1)
def finishes() -> dict[str, tuple[float, float]]:
    """All finishes by name: emissivity, and absorptivity of sunlight."""
    return {n: (float(v["emissivity"]), float(v["absorptivity"])) for n, v in _table("finishes").items()}


@lru_cache(maxsize=1)
def fans() -> dict[str, FanData]:
    """All fans by name."""
    return {
        n: FanData(tuple(q / 3600 for q in v["flow"]), tuple(map(float, v["rise"])), v.get("draw", 0.0))
        for n, v in _table("fans").items()
    }


@dataclass(frozen=True)
class Interface:
    """What fills a joint: ``k`` W/m/K, ``thickness`` m as it comes, ``contact`` m2 K/W of both its faces."""

    k: float
    thickness: float
    contact: float
    source: str = ""

    def resistance(self, thickness: float | None = None) -> float:
        """Area resistance (m2 K/W) at a ``thickness`` (m; None: as it comes)."""
        return self.contact + (self.thickness if thickness is None else thickness) / self.k


@lru_cache(maxsize=1)
def interfaces() -> dict[str, Interface]:
    """What may fill a joint, by name."""
    return {
        n: Interface(float(v["k"]), 1e-3 * v["thickness"], 1e-6 * v["contact"], v.get("source", ""))
        for n, v in _table("interfaces").items()
    }


@lru_cache(maxsize=1)
def screens() -> dict[str, float]:
    """Loss coefficients on the approach speed of plates and filters, by name."""
    return {n: float(v["loss"]) for n, v in _table("screens").items()}


@lru_cache(maxsize=1)
def pumps() -> dict[str, FanData]:
    """All pumps by name."""
    return {
        n: FanData(tuple(q / 60e3 for q in v["flow"]), tuple(1e3 * p for p in v["rise"]), v.get("draw", 0.0))
        for n, v in _table("pumps").items()
    }


#: what is asked for by name: table -> (file, columns shown: head, key)
SHELVES: dict[str, tuple[str, tuple[tuple[str, str], ...]]] = {
    "materials": (
        "materials",
        (("k, W/m/K", "k"), ("through", "k_through"), ("kg/m³", "rho"), ("J/kg/K", "cp"), ("finish", "finish")),
    ),
    "liquids": ("fluids", (("k, W/m/K", "k"), ("kg/m³", "rho"), ("J/kg/K", "cp"), ("Pa s", "mu"))),
    "interfaces": ("interfaces", (("k, W/m/K", "k"), ("mm", "thickness"), ("faces, mm² K/W", "contact"))),
    "packages": (
        "packages",
        (
            ("mm", "size"),
            ("to case, K/W", "junction_to_case"),
            ("to board", "junction_to_board"),
            ("material", "material"),
        ),
    ),
    "fans": ("fans", (("mm", "size"), ("sort", "sort"), ("rev/min", "speed"), ("draw, W", "draw"), ("dB(A)", "noise"))),
    "pumps": ("pumps", (("draw, W", "draw"),)),
    "plates and filters": ("screens", (("loss", "loss"), ("free", "free"))),
    "finishes": ("finishes", (("emissivity", "emissivity"), ("of sunlight", "absorptivity"))),
}


def shelf(name: str) -> dict[str, dict]:
    """Entries of a table of :data:`SHELVES` as they are written, by name."""
    return dict(_table(SHELVES[name][0]))


@lru_cache(maxsize=1)
def packages() -> dict[str, Package]:
    """All packages by name."""
    out = {}
    for n, v in _table("packages").items():
        x, y, z = (1e-3 * float(s) for s in v["size"])
        two = ("junction_to_case", "junction_to_board")
        pair = (float(v[two[0]]), float(v[two[1]])) if all(t in v for t in two) else None
        out[n] = Package((x, y, z), v["material"], pair, v.get("network", ""), v.get("source", ""))
    return out


def fluid_names() -> list[str]:
    """Names of all fluids."""
    return ["air", *_table("fluids")]


def air(t: Any, pressure: Any) -> tuple[Any, Any, Any, Any, Any]:
    """Temperature (K), density, viscosity, heat capacity and conductivity of air (SI); numbers or arrays."""
    mu = 1.716e-5 * (t / 273.15) ** 1.5 * (273.15 + 110.4) / (t + 110.4)
    k = 0.0241 * (t / 273.15) ** 1.5 * (273.15 + 194.0) / (t + 194.0)
    return t, pressure / (287.05 * t), mu, 1006.0, k


@lru_cache(maxsize=64)
def fluid(name: str, temperature: float, pressure: float, varying: bool = False) -> FluidData:
    """Properties at ``temperature`` (K) and ``pressure`` (Pa), with a table of them when ``varying``. KeyError when
    unknown.

    Air: ideal gas, R = 287.05 J/kg/K; Sutherland's laws for viscosity and conductivity (White, Viscous Fluid Flow).
    Liquids whose library entry names a substance take their varying properties from CoolProp.
    """
    if name == "air":
        t, rho, mu, cp, k = air(temperature, pressure)
        rows = tuple(air(x, pressure) for x in range(150, 1601, 10)) if varying else None
        return FluidData(k, rho, cp, mu, 1.0 / t, rows)
    v = _table("fluids")[name]
    boils = Boiling(AT_SEA, *(v["boiling"][n] for n in _BOILS)).under(pressure) if "boiling" in v else None
    if varying and "substance" in v:
        known = _substance(v["substance"], pressure, *v["range"])
        t, rho, mu, cp, k = (float(x) for x in _at(known, temperature))
        step = 1.0
        beta = -(_at(known, t + step)[1] - _at(known, t - step)[1]) / (2 * step * rho)
        return FluidData(k, rho, cp, mu, float(beta), known)
    return FluidData(v["k"], v["rho"], v["cp"], v["mu"], v["beta"], None, boils)


def _at(rows: tuple, t: float) -> list[float]:
    table = np.array(rows).T
    return [float(np.interp(t, table[0], row)) for row in table]


def _substance(name: str, pressure: float, low: float, high: float) -> tuple[tuple[float, ...], ...]:
    from CoolProp.CoolProp import PropsSI  # slow to import, and only varying liquids need it

    temperatures = np.linspace(low, high, 41)
    return tuple(
        (float(t), *(float(PropsSI(what, "T", float(t), "P", pressure, name)) for what in ("D", "V", "C", "L")))
        for t in temperatures
    )


def plate_loss(free: float) -> float:
    """Loss coefficient of a thin sharp-edged perforated plate on the approach speed.

    zeta = (0.707 (1 - f)^0.375 + 1 - f)^2 / f^2 for free-area ratio f. Source: Idelchik, Handbook of Hydraulic
    Resistance, diagram 8-1.
    """
    return (0.707 * (1 - free) ** 0.375 + 1 - free) ** 2 / free**2
