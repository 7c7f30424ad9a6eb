"""Boiling and condensing at walls: flux by the wall's temperature from correlations, face by face.

Nucleate boiling by Cooper, Advances in Heat Transfer 16 (1984): h = 55 pr^(0.12 - 0.2 lg Rp) (-lg pr)^-0.55 M^-0.5
q^0.67, with the reduced pressure pr, the wall's roughness Rp (um) and the molar mass M (g/mol). The critical heat flux
of a pool by Zuber (1959): 0.131 hfg rv^0.5 (sigma g (rl - rv))^0.25. Films on cold walls by Nusselt (1916).

The flux is found with the wall behind the resistance of the solid: iterating the coefficient from the wall's
temperature diverges, since the flux rises with its third power; Newton's method on the flux does not.
"""

from __future__ import annotations

import numpy as np
from numba import njit

POWER = 0.67
#: share of vapour from which on walls dry
DRY = 0.9


def cooper(reduced: float, molar: float, roughness: float = 1.0) -> float:
    """c of h = c q^0.67 (h W/m2/K, q W/m2); ``molar`` g/mol, ``roughness`` um."""
    lg = np.log10(reduced)
    return float(55.0 * reduced ** (0.12 - 0.2 * np.log10(roughness)) * (-lg) ** -0.55 * molar**-0.5)


def critical_flux(latent: float, vapour: float, liquid: float, sigma: float, gravity: float) -> float:
    """The critical heat flux (W/m2) of a pool; densities kg/m3, ``latent`` J/kg, ``sigma`` N/m."""
    return float(0.131 * latent * vapour**0.5 * (sigma * gravity * (liquid - vapour)) ** 0.25)


@njit(cache=True, nogil=True)
def excess(q, c, critical):
    """Wall superheat (K) at a flux ``q``, and its slope (K m2/W); beyond the critical flux its coefficient stays."""
    if q <= 0.0:
        return 0.0, 0.0
    if q > critical:
        h = c * critical**POWER
        return q / h, 1.0 / h
    d = q ** (1.0 - POWER) / c
    return d, (1.0 - POWER) * d / q


@njit(cache=True, nogil=True)
def flux(drive, rest, c, critical):
    """The flux (W/m2) that boils behind a resistance ``rest`` (K m2/W) over ``drive`` (K) above saturation, and the
    slope of the whole difference (K m2/W) there."""
    if drive <= 0.0:
        return 0.0, rest
    top = (c * drive) ** (1.0 / (1.0 - POWER))  # of the wall itself at that temperature
    if top > critical:
        top = c * critical**POWER * drive
    q = min(top, drive / rest if rest > 0.0 else top)
    for _ in range(60):
        d, slope = excess(q, c, critical)
        step = (d + q * rest - drive) / (slope + rest)
        new = max(q - step, 0.2 * q)
        if abs(new - q) <= 1e-10 * new:
            q = new
            break
        q = new
    return q, excess(q, c, critical)[1] + rest


@njit(cache=True, nogil=True)
def faces(
    cell, solid, rest, half, k_ratio, theta, outside, saturation, share, air, c, critical, film, thin, lag, boils
):
    """What every wall face (N) lets through now.

    ``cell`` of the fluid and ``solid`` beyond (flat; -1: ``outside`` K instead), ``rest`` K m2/W up to the wall,
    ``half`` K m2/W of half the fluid cell at rest, ``k_ratio`` (N) its conductivity over that, ``saturation`` K by
    cell, ``share`` of vapour and of ``air`` in it, ``film`` W/m2/K of condensing. Fills ``thin`` (least ratio of
    conductivity for the fluid's half), ``lag`` (W/m2 into the fluid beyond what that conductance lets through) and
    ``boils`` (W/m2).
    """
    for m in range(cell.size):
        i = cell[m]
        hot = theta[solid[m]] if solid[m] >= 0 else outside[m]
        cold, level = theta[i], saturation[i]
        plain = half[m] / max(k_ratio[m], 1e-12)
        single = (hot - cold) / (rest[m] + plain)
        thin[m], lag[m], boils[m] = 0.0, 0.0, 0.0
        wet = min((1.0 - share[i]) / (1.0 - DRY), 1.0)
        if hot > level and wet > 0.0:
            q, slope = flux(hot - level, rest[m], c, critical)
            if q > single:
                q = wet * q + (1.0 - wet) * max(single, 0.0)
                slope = slope if wet > 0.99 else max(slope, rest[m] + (slope - rest[m]) / wet)
                boils[m] = q
                own = max(slope - rest[m], 1e-12)
                thin[m] = half[m] / own
                used = rest[m] + half[m] / max(thin[m], k_ratio[m])
                lag[m] = q - (hot - cold) / used
        elif hot < level and cold > hot and share[i] > DRY:
            h = film * (1.0 - air[i])
            if h * plain > 1.0:
                thin[m] = h * half[m]
