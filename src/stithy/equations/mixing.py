"""The algebraic enclosure model: eddy viscosity from wall distance and local speed by one wall law.

Spalding's law of the wall, y+ = u+ + exp(-kB) (exp(k u+) - 1 - k u+ - (k u+)^2/2 - (k u+)^3/6), gives u+ from the local
Reynolds number u+ y+ = speed * distance / nu; its slope gives the eddy viscosity, and y+/u+ the wall friction over the
laminar one. It fades to laminar by itself near walls and in slow flow, and in narrow passages by :mod:`passages`.
Source: D. B. Spalding, J. Appl. Mech. 28 (1961). Heat: turbulent Prandtl number 0.87, and the law of the wall for
temperature of B. A. Kader, Int. J. Heat Mass Transfer 24 (1981), whose slope it is, or what Spalding's eddies let
through where that is less.
"""

from __future__ import annotations

import numpy as np
from numba import njit

from ..numerics.means import between
from ..numerics.slabs import halves, over

KAPPA, B, PR_T = 0.41, 5.2, 0.87
#: power of a rough wall's friction, over a smooth one's, with which its heat goes (Norris 1970, at Prandtl 0.7)
HEAT_OF_ROUGH = 0.63

_U = np.concatenate([np.linspace(0.0, 1.0, 20), np.linspace(1.05, 40.0, 780)])
_KU = KAPPA * _U
_YP = _U + np.exp(-KAPPA * B) * (np.exp(_KU) - 1 - _KU - _KU**2 / 2 - _KU**3 / 6)
_EDDY = KAPPA * np.exp(-KAPPA * B) * (np.exp(_KU) - 1 - _KU - _KU**2 / 2)
_RE = _U * _YP


_SHEAR = KAPPA**2 * _YP**2 / (1.0 + _EDDY)  # l^2 S / nu with l = kappa y
PER_RATIO = 8.0
LEFT = np.interp(
    np.arange(1601) / PER_RATIO, _SHEAR[1:], _EDDY[1:] / _SHEAR[1:]
)  # eddy viscosity over l^2 S, by steps of 1 / PER_RATIO


def wall_law(reynolds: np.ndarray) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Eddy over molecular viscosity, wall friction over laminar (y+/u+), and u+, for speed*distance/nu."""
    root = np.sqrt(_RE)
    x = np.sqrt(reynolds)
    return (
        np.interp(x, root, _EDDY),
        np.interp(x, root, np.where(_U > 0, _YP / np.maximum(_U, 1e-9), 1.0)),
        np.interp(x, root, _U),
    )


def faster_at(reynolds: np.ndarray, times: float) -> np.ndarray:
    """Speed at ``times`` the distance over that at the distance itself, by the law of the wall, for
    speed*distance/nu."""
    u_plus = np.interp(np.sqrt(reynolds), np.sqrt(_RE), _U)
    y_plus = np.interp(u_plus, _U, _YP)
    return np.where(u_plus > 0, np.interp(times * y_plus, _YP, _U) / np.maximum(u_plus, 1e-9), times)


def _conducted(prandtl: np.ndarray, y_plus: np.ndarray) -> np.ndarray:
    """T+ at ``y_plus`` by conduction through the eddies of Spalding's law at :data:`PR_T`: no law of the wall resists
    less.

    Kader's blend does where it leaves the conduction layer, by up to a sixth (Prandtl 0.7, y+ 6).
    """
    out = np.zeros_like(y_plus)
    for value in np.unique(prandtl):
        resist = 1.0 / (1.0 / value + _EDDY / PR_T)
        whole = np.concatenate([[0.0], np.cumsum(0.5 * (resist[1:] + resist[:-1]) * np.diff(_YP))])
        out = np.where(prandtl == value, np.interp(y_plus, _YP, whole), out)
    return out


def temperature_law(y_plus: np.ndarray, prandtl: np.ndarray) -> np.ndarray:
    """T+ at ``y_plus``: Kader's blend of the conduction layer (Pr y+) with the log layer, or :func:`_conducted`,
    whichever is more."""
    level = (3.85 * np.cbrt(prandtl) - 1.3) ** 2 + 2.12 * np.log(prandtl)
    gamma = 1e-2 * (prandtl * y_plus) ** 4 / (1 + 5 * prandtl**3 * y_plus)
    gamma = np.clip(gamma, 1e-9, 1e9)
    t_plus = prandtl * y_plus * np.exp(-gamma) + np.maximum(2.12 * np.log(1 + y_plus) + level, 0.0) * np.exp(-1 / gamma)
    return np.maximum(t_plus, _conducted(prandtl, y_plus))


class Between:
    """How much more than their mean tells two points at unlike wall distances resist heat; for pairs of a ``prandtl``
    number each."""

    def __init__(self, prandtl: np.ndarray):
        self.prandtl = prandtl
        self.rows = [(prandtl == pr, temperature_law(_YP, np.full(_YP.shape, pr))) for pr in np.unique(prandtl)]

    def share(self, near: np.ndarray, far: np.ndarray) -> np.ndarray:
        """Conductivity that the law of the wall has between y+ ``near`` and ``far``, over the mean of what its eddies
        conduct at both.

        1 where it would be more.
        """
        rise = np.zeros_like(near)
        for here, t_plus in self.rows:
            rise[here] = np.interp(far[here], _YP, t_plus) - np.interp(near[here], _YP, t_plus)
        mean = between(*(1.0 + np.interp(y, _YP, _EDDY) * self.prandtl / PR_T for y in (near, far)))
        return np.minimum(np.where(rise > 1e-6, self.prandtl * (far - near) / np.maximum(rise, 1e-6), mean) / mean, 1.0)


def mixing_fields(speed, distance, nu, prandtl) -> tuple[np.ndarray, np.ndarray, np.ndarray, np.ndarray]:
    """Ratios to the molecular values, per cell: eddy viscosity, wall viscosity, eddy conductivity, wall conductivity.

    speed m/s, distance m, nu m2/s, prandtl dimensionless; all arrays of one shape.
    """
    eddy, wall, u_plus = wall_law(speed * distance / nu)
    eddy_k = eddy * prandtl / PR_T
    y_plus = wall * u_plus
    t_plus = temperature_law(y_plus, prandtl)
    wall_k = np.where(y_plus > 1e-6, np.maximum(prandtl * y_plus / np.maximum(t_plus, 1e-9), 1.0), 1.0)
    return eddy, wall, eddy_k, wall_k


class Tables:
    """The four ratios of :func:`mixing_fields` over log2 of the local Reynolds number, for one Prandtl number."""

    LOW, HIGH, STEPS = -7.0, 33.0, 64  # of log2, and points per doubling

    def __init__(self, prandtl: float):
        re = 2.0 ** np.linspace(self.LOW, self.HIGH, int((self.HIGH - self.LOW) * self.STEPS) + 1)
        one = np.ones_like(re)
        self.rows = np.stack(mixing_fields(re, one, one, prandtl * one))


def _rough_tables(shares: int = 17) -> np.ndarray:
    """Of the law beside rough walls, by the share of grains in its viscosity (0 to 1, evenly) and as :class:`Tables`
    over log2 of speed * distance / that viscosity: all that carries momentum over it, and y+/u+.

    Between grains there is no sublayer: u+ = (1 - share) Spalding's + share ln(1 + y+ exp(kappa B)) / kappa.
    """
    re = np.sqrt(2.0 ** np.linspace(Tables.LOW, Tables.HIGH, int((Tables.HIGH - Tables.LOW) * Tables.STEPS) + 1))
    out = np.empty((shares, 2, len(re)))
    y, rise = _YP[1:], np.exp(KAPPA * B)
    for m, share in enumerate(np.linspace(0.0, 1.0, shares)):
        u = (1.0 - share) * _U[1:] + share * np.log1p(rise * y) / KAPPA
        slope = (1.0 - share) / (1.0 + _EDDY[1:]) + share * rise / (KAPPA * (1.0 + rise * y))
        root = np.sqrt(u * y)
        out[m, 0], out[m, 1] = np.interp(re, root, 1.0 / slope), np.interp(re, root, y / u)
    return out


ROUGH = _rough_tables()


def rough_law(reynolds: np.ndarray, share: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """What :data:`ROUGH` says for speed * distance / nu of the law, and the ``share`` of grains in that nu."""
    x = np.clip((np.log2(np.maximum(reynolds, 1e-30)) - Tables.LOW) * Tables.STEPS, 0, ROUGH.shape[2] - 1.001)
    z = np.clip(share * (len(ROUGH) - 1), 0, len(ROUGH) - 1.001)
    j, n = x.astype(int), z.astype(int)
    v, w = x - j, z - n
    low, high = (tuple((1 - v) * ROUGH[n + up, m, j] + v * ROUGH[n + up, m, j + 1] for m in (0, 1)) for up in (0, 1))
    return tuple((1 - w) * a + w * b for a, b in zip(low, high, strict=True))


def approach(flow, cells, table: Tables, share: float, speed, distance, core, layer, fade, k, law) -> None:
    """:func:`towards` for the effective properties of ``flow``, in two threads where there are many cells; ``law``: the
    viscosity (m2/s) of the law of the wall, as of :class:`roughness.Rough`."""
    over(
        halves(cells.size),
        lambda h: towards(
            cells[h],
            speed,
            distance,
            core,
            layer,
            fade,
            flow.nu,
            law,
            flow.mu,
            k,
            table.rows,
            ROUGH,
            table.LOW,
            table.STEPS,
            share,
            flow.mu_eff,
            flow.mu_wall,
            flow.k_eff,
            flow.k_wall,
        ),
    )


@njit(cache=True, nogil=True)
def towards(
    cells,
    speed,
    distance,
    core,
    layer,
    fade,
    nu,
    law,
    mu,
    k,
    rows,
    rough,
    low,
    steps,
    share,
    mu_eff,
    mu_wall,
    k_eff,
    k_wall,
):
    """Move the four fields of ``cells`` by ``share`` towards what the wall law asks for at their local Reynolds
    numbers.

    ``core`` is what is left of the law's eddy viscosity far from walls, ``layer`` the ratio (eddy over molecular) that
    free shear layers ask for; the larger of the two holds. ``fade`` is 1 where the law holds whole, 0 where the passage
    is laminar.
    """
    last = rows.shape[1] - 2
    # eddy conductivity over eddy viscosity, both as ratios: Pr / Pr_t, wherever the table's end lies in the open
    mixed = rows[2, last] / rows[0, last]
    for m in range(cells.size):
        c = cells[m]
        x = (np.log2(max(speed[c] * distance[c] / nu[c], 1e-30)) - low) * steps
        x = min(max(x, 0.0), last + 0.999)
        i = int(x)
        w = x - i
        left, on = fade[c] * core[c], fade[c]
        if law[c] > nu[c]:  # a rough wall: the law of a more viscous fluid
            more = law[c] / nu[c]
            y = (np.log2(max(speed[c] * distance[c] / law[c], 1e-30)) - low) * steps
            y = min(max(y, 0.0), last + 0.999)
            j = int(y)
            v = y - j
            part = (1.0 - 1.0 / more) * (rough.shape[0] - 1)
            n = min(int(part), rough.shape[0] - 2)
            z = part - n
            eddy = (1.0 - z) * ((1.0 - v) * rough[n, 0, j] + v * rough[n, 0, j + 1])
            eddy = more * (eddy + z * ((1.0 - v) * rough[n + 1, 0, j] + v * rough[n + 1, 0, j + 1])) - 1.0
            wall = (1.0 - z) * ((1.0 - v) * rough[n, 1, j] + v * rough[n, 1, j + 1])
            wall = more * (wall + z * ((1.0 - v) * rough[n + 1, 1, j] + v * rough[n + 1, 1, j + 1]))
            smooth = (1.0 - w) * rows[1, i] + w * rows[1, i + 1]
            warm = ((1.0 - w) * rows[3, i] + w * rows[3, i + 1]) * max(wall / smooth, 1.0) ** HEAT_OF_ROUGH
            mu_eff[c] += share * (mu[c] * (1.0 + max(left * eddy, layer[c])) - mu_eff[c])
            mu_wall[c] += share * (mu[c] * (1.0 + on * (wall - 1.0)) - mu_wall[c])
            k_eff[c] += share * (k[c] * (1.0 + max(left * eddy, layer[c]) * mixed) - k_eff[c])
            k_wall[c] += share * (k[c] * (1.0 + on * (warm - 1.0)) - k_wall[c])
            continue
        mu_eff[c] += share * (
            mu[c] * (1.0 + max(left * ((1.0 - w) * rows[0, i] + w * rows[0, i + 1]), layer[c])) - mu_eff[c]
        )
        mu_wall[c] += share * (mu[c] * (1.0 + on * ((1.0 - w) * rows[1, i] + w * rows[1, i + 1] - 1.0)) - mu_wall[c])
        heat = max(left * ((1.0 - w) * rows[2, i] + w * rows[2, i + 1]), layer[c] * mixed)
        k_eff[c] += share * (k[c] * (1.0 + heat) - k_eff[c])
        k_wall[c] += share * (k[c] * (1.0 + on * ((1.0 - w) * rows[3, i] + w * rows[3, i + 1] - 1.0)) - k_wall[c])


@njit(cache=True, nogil=True, fastmath={"contract", "nsz"})
def shear_layers(cells, s2, length, fade, nu, share, out):
    """Moves ``out`` by ``share`` towards the eddy over molecular viscosity of Prandtl's mixing length in free shear
    layers.

    ``length`` (m) and ``fade`` (as for :func:`towards`) per cell, s2 = 2 S_ij S_ij (1/s2).
    Times what Spalding's law of the wall leaves of l^2 S (l = kappa y) at the same l^2 S / nu, which is next to nothing
    below 8 and nearly all above 20: a layer whose mixing length is 0.09 of its width is half turbulent at a Reynolds
    number of some 2000 over it.
    Source: Prandtl 1925.
    """
    last = LEFT.size - 2
    for m in range(cells.size):
        c = cells[m]
        ratio = fade[c] * length[c] * length[c] * np.sqrt(s2[c]) / nu[c]
        x = min(ratio * PER_RATIO, last + 0.999)
        i = int(x)
        out[c] += share * (ratio * (LEFT[i] + (x - i) * (LEFT[i + 1] - LEFT[i])) - out[c])


@njit(cache=True, nogil=True)
def cell_speed(n, s, u, v, w, out):
    """Speed at the centres of all inner cells, m/s."""
    for i in range(1, n[0] + 1):
        for j in range(1, n[1] + 1):
            row = i * s[0] + j * s[1]
            for c in range(row + 1, row + n[2] + 1):
                a, b, d = u[c] + u[c - s[0]], v[c] + v[c - s[1]], w[c] + w[c - 1]
                out[c] = 0.5 * np.sqrt(a * a + b * b + d * d)
