"""Solids of four jobs of Tolva Head, made by a script with the geometry kernel: an exhaust heater, a manifold, a duct
of many parts, a housing with faults. Lengths in mm."""

from __future__ import annotations

import numpy as np

from . import solids as s


def manifold() -> dict:
    """A sea-water manifold: three inlets of unlike size and direction, one bent outlet."""
    body = s.joined(
        s.box((0, -22, -22), (160, 44, 44)),
        s.round_bar((30, 0, 0), (0, 0, 1), 16, 60),
        s.round_bar((80, 0, 0), (0.35, 0, 1), 14, 66),
        s.round_bar((120, 0, 0), (0, -1, 0), 12, 56),
    )
    outlet = s.bent_tube([(150, 0, 0), (215, 0, 0), (215, 75, 0)], 20, 34)
    bores = (
        s.round_bar((12, 0, 0), (1, 0, 0), 16, 138),
        s.round_bar((30, 0, 0), (0, 0, 1), 12, 61),
        s.round_bar((80, 0, 0), (0.35, 0, 1), 10, 67),
        s.round_bar((120, 0, 0), (0, -1, 0), 8, 57),
        s.bent_tube([(140, 0, 0), (215, 0, 0), (215, 76, 0)], 16, 34),
    )
    return {"Manifold": s.cut(s.joined(body, outlet), *bores)}


def exhaust_heater() -> dict:
    """A box of water with four bent tubes for hot gas between two heads, and two water nozzles: two fluids, two
    openings each."""
    lines = [[(0, y, 26), (70, y, 26), (130, y, 74), (200, y, 74)] for y in (-24, 24)]
    lines += [[(0, y, 58), (60, y, 58), (120, y, 106), (200, y, 106)] for y in (-24, 24)]
    tubes = [s.cut(s.bent_path(p, 9, 30), s.bent_path(_longer(p), 8, 30)) for p in lines]
    box = s.cut(s.box((0, -50, 0), (200, 100, 132)), s.box((4, -46, 4), (192, 92, 124)))
    box = s.joined(box, s.round_bar((30, 0, 128), (0, 0, 1), 11, 22), s.round_bar((170, 0, -18), (0, 0, 1), 11, 22))
    box = s.cut(box, s.round_bar((30, 0, 120), (0, 0, 1), 8, 31), s.round_bar((170, 0, -19), (0, 0, 1), 8, 31))
    box = s.cut(box, *[s.bent_path(p, 9, 30) for p in lines])
    heads = {}
    for name, at, way in (("Gas inlet head", -34.0, -1), ("Gas outlet head", 200.0, 1)):
        head = s.cut(s.box((at, -40, 8), (34, 80, 116)), s.box((at + (3 if way < 0 else 0), -37, 11), (31, 74, 110)))
        nozzle = (at + (0 if way < 0 else 34) - way * 3, 0, 66)
        head = s.joined(head, s.round_bar(nozzle, (way, 0, 0), 19, 25))
        heads[name] = s.cut(head, s.round_bar(nozzle, (way, 0, 0), 16, 26), s.round_bar(nozzle, (-way, 0, 0), 16, 2))
    return {"Box": box} | {f"Tube {m + 1}": t for m, t in enumerate(tubes)} | heads


def _longer(points, more: float = 1.0):
    p = np.array(points, float)
    first, last = p[0] - p[1], p[-1] - p[-2]
    p[0] += more * first / np.linalg.norm(first)
    p[-1] += more * last / np.linalg.norm(last)
    return [tuple(x) for x in p]


def duct() -> dict:
    """A sheet-metal duct of four walls with flanged sleeves, couplings and a cooling core: eleven parts that touch."""
    w, h, t = 80.0, 60.0, 2.0
    walls = {
        "Floor": s.box((0, 0, 0), (300, w, t)),
        "Roof": s.box((0, 0, h - t), (300, w, t)),
        "Left wall": s.box((0, 0, t), (300, t, h - 2 * t)),
        "Right wall": s.box((0, w - t, t), (300, t, h - 2 * t)),
    }
    ends = {}
    for name, at in (("Inlet sleeve", -20.0), ("Outlet sleeve", 300.0)):
        ends[name] = s.cut(s.box((at, 0, 0), (20, w, h)), s.box((at - 1, t, t), (22, w - 2 * t, h - 2 * t)))
    couplings = {
        "Coupling in": s.cut(s.box((-8, -8, -8), (16, w + 16, h + 16)), s.box((-9, 0, 0), (18, w, h))),
        "Coupling out": s.cut(s.box((292, -8, -8), (16, w + 16, h + 16)), s.box((291, 0, 0), (18, w, h))),
    }
    core = s.joined(*[s.box((120, t, 8 + 9 * m), (60, w - 2 * t, 3)) for m in range(5)])
    core = s.joined(core, s.box((120, t, 8), (60, 6, 39)), s.box((120, w - t - 6, 8), (60, 6, 39)))
    return (
        walls
        | ends
        | couplings
        | {
            "Core": core,
            "Core foot": s.box((120, t, t), (60, w - 2 * t, 6)),
            "Heater": s.box((130, 20, h), (40, 40, 8)),
        }
    )


def housing() -> dict:
    """A leaky housing: a lid 0.05 mm off its rim, a body twice in one place, an open mouth with a curved rim, one
    whose rim runs over two faces, a grille, a rounded one."""
    case = s.cut(s.box((0, 0, 0), (120, 80, 50)), s.box((4, 4, 4), (112, 72, 47)))
    case = s.joined(
        case, s.cut(s.round_bar((60, 40, 0), (0, 0, 1), 20, 50), s.round_bar((60, 40, -1), (0, 0, 1), 16, 52))
    )
    case = s.cut(case, s.round_bar((-1, 0, 25), (1, 1, 0), 8, 24))
    case = s.cut(
        case, *[s.round_bar((90 + 7 * i, -1, 18 + 7 * j), (0, 1, 0), 2.5, 6) for i in range(3) for j in range(3)]
    )
    case = s.cut(case, s.round_bar((110, 40, 25), (1, 0, 0), 8, 20))
    case = s.filleted(case, 1.5, lambda c, length: abs(c[0] - 120) < 0.1 and abs(c[1] - 40) < 1 and 40 < length < 60)
    lid = s.cut(s.box((0, 0, 50.05), (120, 80, 4)), s.round_bar((60, 40, 49), (0, 0, 1), 16, 8))
    block = s.box((20, 50, 4), (20, 16, 12))
    return {"Housing": case, "Lid": lid, "Block": block, "Block again": s.box((20, 50, 4), (20, 16, 12))}


def relay_box() -> dict:
    """A sealed box for a mast: fins down its back, a lid in front, four pillars inside that carry a board."""
    case = s.cut(s.box((0, 0, 0), (120, 42, 160)), s.box((4, 5, 4), (112, 38, 152)))
    fins = [s.box((4 + 13.75 * i, -22, 0), (2, 22, 160)) for i in range(9)]
    pillars = [s.round_bar((x, 5, z), (0, 1, 0), 4, 9) for x in (16, 104) for z in (16, 144)]
    return {"Case": s.joined(case, *fins), "Lid": s.box((0, 42, 0), (120, 3, 160)), "Pillars": s.joined(*pillars)}
