"""Where heat goes: what every part and every fluid gives to each neighbour, opening and side, from the fluxes that the
energy equation balances."""

from __future__ import annotations

import numpy as np

from ..equations.outer import sunshine
from ..mesh.occupancy import FLUID, VOID, fluid_spaces
from ..setup.prepare import Prepared
from .radiated import PLATES, SUN, Radiated

#: what sunlit sides give their heat to
OUTSIDE = "surroundings"
#: part of the largest flow below which one is left out
LEAST = 1e-7


def heat_path(p: Prepared, run) -> list[dict]:
    """Flows of heat as rows of ``from``, ``to`` and ``heat`` (W, above 0).

    Parts and fluid spaces go by their names (see :func:`space_names`); beside them stand "heat load" (what is released
    in a part), "held" (what holds a part at its temperature), openings, fans in walls, and the surfaces of the outside.
    The rows of one part or space close to what the energy equation leaves over.
    """
    label, names = _regions(p)
    flows: dict[tuple[int, int], float] = {}
    for one, other, heat in (*_conducted(p, run, label), *_held(run, label)):
        for pair, q in _summed(one, other, heat, len(names)):
            flows[pair] = flows.get(pair, 0.0) + q
    out: dict[tuple[str, str], float] = {}
    for (a, b), q in flows.items():
        _add(out, names[a], names[b], q)
    radiated = Radiated(p, run).flows() if run.heat.radiation is not None else []
    _outside(p, run, label, names, out, radiated)
    most = max([abs(q) for q in out.values()], default=0.0)
    rows = [(a, b, q) if q > 0 else (b, a, -q) for (a, b), q in out.items() if abs(q) > LEAST * most]
    told: list[dict] = [{"from": a, "to": b, "heat": q} for a, b, q in rows]
    told += [
        {"from": a if q > 0 else b, "to": b if q > 0 else a, "heat": abs(q), "by": "radiation"}
        for a, b, q in radiated
        if abs(q) > LEAST * most
    ]
    return sorted(told, key=lambda x: -x["heat"])


def _regions(p: Prepared) -> tuple[np.ndarray, list[str]]:
    """Number of the part or fluid space of every padded cell (-1: none), and their names."""
    case = p.case
    space = fluid_spaces(case.kind, tuple(map("xyz".index, sorted(case.periodic))), p.built.shut)[0]
    label = np.where(case.kind == FLUID, len(p.parts) + space, np.where(case.kind == VOID, -1, case.part))
    names = [*p.parts, *space_names(p)]
    return np.pad(label, 1, mode="constant", constant_values=-1).ravel(), names


def space_names(p: Prepared) -> list[str]:
    """What the fluid spaces are called: by their fluid region, or else by their fluid, with the enclosure where several
    have the same."""
    case, model = p.case, p.model
    space = fluid_spaces(case.kind, tuple(map("xyz".index, sorted(case.periodic))), p.built.shut)[0]
    out: list[str] = []
    for m in range(int(space.max(initial=-1)) + 1):
        region = next((r.name for r in model.regions if (i := case.grid.find(r.point)) and space[i] == m), "")
        first = tuple(np.argwhere(space == m)[0])
        home = int(p.built.space_of[first])
        plain = model.enclosures[home].fluid_name if home >= 0 else "fluid"
        out.append(region or plain)
    taken = {*p.parts, *p.ends}
    called = [n if out.count(n) == 1 else f"{n} {out[: m + 1].count(n)}" for m, n in enumerate(out)]
    return [f"fluid space {m + 1}" if n in taken else n for m, n in enumerate(called)]


def fluids(p: Prepared) -> dict[str, list[int]]:
    """Numbers of the fluid spaces that each enclosure and each fluid region stands for."""
    case, model = p.case, p.model
    space = fluid_spaces(case.kind, tuple(map("xyz".index, sorted(case.periodic))), p.built.shut)[0]
    out: dict[str, list[int]] = {}
    taken = set()
    for region in model.regions:
        at = case.grid.find(region.point)
        if at is not None and space[at] >= 0:
            out[region.name] = [int(space[at])]
            taken.add(int(space[at]))
    for m, enclosure in enumerate(model.enclosures):
        inside = np.unique(space[(p.built.space_of == m) & (space >= 0)])
        out[enclosure.name] = [int(x) for x in inside if int(x) not in taken]
    return out


def _conducted(p: Prepared, run, label):
    """Heat through every face between two regions, from the lower cell to the higher one."""
    heat, geo = run.heat, run.geo
    inner = geo.padded_index() > 0
    for a in range(3):
        st, g = geo.s[a], heat.conduction.g[a]
        ahead = np.roll(label, -st)
        parted = label != ahead if geo.shut is None else (label != ahead) | geo.shut[a].ravel()
        face = np.flatnonzero((label >= 0) & (ahead >= 0) & parted & inner)
        if "xyz"[a] not in p.case.periodic:
            face = face[inner[face + st]]
        g = g[face].copy()
        if len(heat.held_cells):  # these exchange with a given temperature instead; see _held
            g[np.isfinite(heat.held_at[face]) | np.isfinite(heat.held_at[face + st])] = 0.0
        q = g * (heat.theta[face] - heat.theta[face + st])
        into = q.copy()  # what comes to the higher cell, or leaves a sheet to it
        if heat.radiation is not None:
            r = heat.radiation
            for up in (0, 1):  # a face gives to the gas what it does not radiate
                mine, _, _ = r.passing(a, up)
                mine = mine[(r.solid[mine] & ~r.held[mine]) | r.sheet[mine]]
                at = np.searchsorted(face, r.face[mine])
                ok = at < len(face)
                ok[ok] = face[at[ok]] == r.face[mine[ok]]
                at, mine = at[ok], mine[ok]
                whole = r.solid[mine]
                if up:
                    q[at] = -r.to_gas[mine]
                    into[at[whole]] = q[at[whole]]
                else:
                    into[at] = r.to_gas[mine]
                    q[at[whole]] = into[at[whole]]
        low, high = label[face], label[face + st]
        if geo.shut is not None:  # through sheets thinner than a cell
            sheet = np.where(geo.shut[a].ravel()[face], geo.pad(p.case.crossing.sheet[a], -1, np.int64)[face], -1)
            on = sheet >= 0
            yield low[on], sheet[on], q[on]
            yield sheet[on], high[on], into[on]
            low, high, q = low[~on], high[~on], q[~on]
        yield low, high, q


def _held(run, label):
    """Heat from cells of held temperature into those beside them."""
    heat = run.heat
    if len(heat.held_cells):
        keep, given = label[heat.held_cells] >= 0, -heat.held()
        if heat.radiation is not None:
            on = heat.radiation.held_number >= 0
            given[heat.radiation.held_number[on]] = heat.radiation.to_gas[on]
        yield heat.held_owner[keep], label[heat.held_cells][keep], given[keep]


def _summed(one, other, heat, count: int):
    """Sums over faces by pair of regions, each pair once."""
    low, high = np.minimum(one, other), np.maximum(one, other)
    key = low.astype(np.int64) * count + high
    found, at = np.unique(key, return_inverse=True)
    sums = np.bincount(at, np.where(one == low, heat, -heat), len(found))
    return [((int(k) // count, int(k) % count), float(q)) for k, q in zip(found, sums, strict=True)]


def _add(out: dict, one: str, other: str, q: float) -> None:
    """Add a flow from one to another."""
    if (other, one) in out:
        out[other, one] -= q
    else:
        out[one, other] = out.get((one, other), 0.0) + q


def _carried(p: Prepared, run, label, patches) -> dict[tuple[int, str], float]:
    """Heat (W) that openings carry out of each fluid space, told so that it has a meaning of its own: of a stream that
    is heated what leaves carries all that it has taken up, of one that is cooled what enters brings all that it
    gives."""
    ends: dict[int, list[tuple[str, float, float]]] = {}
    for name, pieces in zip(p.ends, p.case.ends(), strict=True):
        mass, heat, region = 0.0, 0.0, -1
        for m in pieces:
            patch, faces, _ = run.flow.openings[m]
            if len(faces):
                region = int(label[run.geo.flat(patch.cells)[0]])
                mass += float((patch.outward * run.flow.passing(patch.axis, faces)).sum())
                heat += float(patches[m])
        if region >= 0:
            ends.setdefault(region, []).append((name, mass, heat))
    out = {}
    for region, found in ends.items():
        taken, through = sum(h for _, _, h in found), sum(max(m, 0.0) for _, m, _ in found)
        sign = 1.0 if taken >= 0.0 else -1.0
        other = sum(h for _, m, h in found if sign * m <= 0.0)
        for name, mass, heat in found:
            if sign * mass > 0.0 and through > 0.0:
                out[region, name] = heat + other * abs(mass) / through
            elif through <= 0.0:
                out[region, name] = heat
    return out


def _from_gas(p: Prepared, run, label, names, out: dict, links) -> np.ndarray:
    """Heat (W) of links as what the gas gives them, without what is radiated on their faces; walls that no heat passes
    take from the gas what they radiate, or the other way round."""
    r = run.heat.radiation
    linked = r.faces.link >= 0
    links = links.copy()
    links[r.faces.link[linked]] = -r.to_gas[linked]
    loose = np.flatnonzero(~linked & ~r.solid)
    who = Radiated(p, run)
    for m in np.unique(who.who[loose]):
        on = loose[who.who[loose] == m]
        for region in np.unique(label[r.cell[on]]):
            q = float((r.to_gas - r.faces.given)[on[label[r.cell[on]] == region]].sum())
            if q and (who.names[m] != PLATES or abs(q) > 0.0):
                _add(out, who.names[m], names[int(region)], q)
    return links


def _blown(run, blower, label, names, out: dict) -> None:
    """What a blower carries from one fluid space to another."""
    if len(blower.in_cells) and len(blower.out_cells):
        one, other = int(label[blower.in_cells[0]]), int(label[blower.out_cells[0]])
        if one != other:
            passing = run.heat.carried(blower.inlet.axis, blower.in_faces) * blower.inlet.outward
            _add(out, names[one], names[other], float((passing * run.heat.theta[blower.in_cells]).sum()))


def _outside(p: Prepared, run, label, names, out: dict, radiated) -> None:
    """What is released, what passes openings and the outside, and what holds parts at their temperature, which gives
    what is ``radiated`` too."""
    case, heat, geo = p.case, run.heat, run.geo
    inner, released = label.reshape(geo.shape)[1:-1, 1:-1, 1:-1], geo.inner(heat.source)
    for m, name in enumerate(names):
        load = float(released[inner == m].sum())
        if load:
            _add(out, "heat load", name, load)
    patches, links = heat.outflow()
    whole, sun = links, sunshine(heat)
    if heat.radiation is not None:
        links = _from_gas(p, run, label, names, out, links)
    for blower in run.flow.devices.blowers:
        _blown(run, blower, label, names, out)
    for (region, name), q in _carried(p, run, label, patches).items():
        _add(out, names[region], name, q)
    for number, surface in enumerate(p.surfaces):
        here = np.flatnonzero(case.links.owner == number) if len(case.links.cells) else []
        for m in np.unique(label[heat.link_cells[here]]) if len(here) else []:
            on = here[label[heat.link_cells[here]] == m]
            _add(out, names[int(m)], surface.name, float(links[on].sum()))
        if len(here) and sun[here].any():  # it goes on to the surroundings, or inwards
            shone = float(sun[here].sum())
            _add(out, SUN, surface.name, shone)
            _add(out, surface.name, OUTSIDE, shone + float(whole[here].sum()))
    for m, name in enumerate(p.parts):
        held = np.isfinite(heat.held_at) & (label == m)
        if held.any():
            given = sum(q if a == name else -q for (a, b), q in out.items() if name in (a, b))
            given += sum(q if a == name else -q for a, b, q in radiated if name in (a, b))
            _add(out, "held", name, given)
