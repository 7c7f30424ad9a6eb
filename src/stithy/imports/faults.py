"""What is wrong with imported bodies: each fault with its size, and whether it matters to a solution."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ..shapes.geometry import Mesh
from ..shapes.mouths import open_edges

#: m: bodies nearer than this and not touching have a gap that is told; faces thinner than this are slivers
NEAR, THIN = 2e-4, 5e-5


@dataclass(frozen=True)
class Fault:
    """One thing wrong: the ``bodies`` it is about, ``what`` with its size, the ``remedy``, whether it ``matters``,
    where (m); ``gap`` (m) where two bodies are that far apart."""

    bodies: tuple[str, ...]
    what: str
    remedy: str
    matters: bool
    place: tuple[float, ...]
    gap: float = 0.0


def faults(
    bodies: dict[str, Mesh],
    shells: dict[str, tuple[Mesh, bool]] | None = None,
    ranks: dict[str, int] | None = None,
    least_gap: float = 0.0,
) -> list[Fault]:
    """All faults of bodies by name, those that matter first; ``shells``: open ones as their files have them, and
    whether it has been said what becomes of them; ``ranks``: who is there where bodies overlap (0 where not said);
    ``least_gap`` (m): narrower gaps are settled by the grid."""
    out = [f for name, (mesh, said) in (shells or {}).items() for f in _open(name, mesh, said)]
    out += [f for name, mesh in bodies.items() for f in _of_one(name, mesh)]
    names, near = list(bodies), max(NEAR, least_gap)
    boxes = np.array([b.box for b in bodies.values()]) if names else np.zeros((0, 3, 2))
    for i, one in enumerate(names):
        for j in range(i):
            if ((boxes[i, :, 0] <= boxes[j, :, 1] + near) & (boxes[j, :, 0] <= boxes[i, :, 1] + near)).all():
                ahead = (ranks or {}).get(names[j], 0) - (ranks or {}).get(one, 0)
                out += _of_two(names[j], bodies[names[j]], one, bodies[one], ahead, least_gap)
    return sorted(out, key=lambda f: not f.matters)


def _open(name: str, mesh: Mesh, said: bool) -> list[Fault]:
    points, loose = np.asarray(mesh.points), open_edges(mesh.triangles)
    if not len(loose):
        return []
    length = float(np.linalg.norm(points[loose[:, 0]] - points[loose[:, 1]], axis=1).sum())
    return [
        Fault(
            (name,),
            f"has {len(loose)} open edges, {length * 1e3:.4g} mm in all: a face is missing.",
            "Settled by its row." if said else "It is taken as filled: say fill or sheet in its row, under open shell.",
            not said,
            tuple(points[loose].mean(axis=(0, 1))),
        )
    ]


def _of_one(name: str, mesh: Mesh) -> list[Fault]:
    out, points = [], np.asarray(mesh.points)
    corner = points[np.asarray(mesh.triangles)]
    normal = np.cross(corner[:, 1] - corner[:, 0], corner[:, 2] - corner[:, 0])
    area, sides = 0.5 * np.linalg.norm(normal, axis=1), np.linalg.norm(corner - np.roll(corner, 1, 1), axis=2).sum(1)
    of = np.asarray(mesh.faces)
    for face in np.unique(of):
        whole, around = area[of == face].sum(), sides[of == face].max()
        if 0.0 < 4.0 * whole / max(around, 1e-12) < THIN:
            out.append(
                Fault(
                    (name,),
                    f"has a sliver of {whole * 1e6:.3g} mm2.",
                    "It cannot hurt a grid of cells: nothing to do.",
                    False,
                    tuple(corner[of == face].mean(axis=(0, 1))),
                )
            )
    return out


def _of_two(a: str, one: Mesh, b: str, other: Mesh, ahead: int, least_gap: float) -> list[Fault]:
    """Doubled, overlapping, or a little apart; ``ahead``: how much higher the first's rank is; ``least_gap``: as of
    :func:`faults`."""
    import manifold3d  # heavy, and only here

    def solid(mesh: Mesh):
        return manifold3d.Manifold(
            manifold3d.Mesh(np.asarray(mesh.points, np.float32), np.asarray(mesh.triangles, np.uint32))
        )

    p, q = solid(one), solid(other)
    middle = tuple(0.5 * (max(x[0], y[0]) + min(x[1], y[1])) for x, y in zip(one.box, other.box, strict=True))
    if p.is_empty() or q.is_empty():
        return []  # not closed: told already
    shared, least = (p ^ q).volume(), min(p.volume(), q.volume())
    if shared > 0.999 * max(p.volume(), q.volume()):
        return [Fault((a, b), "fill the same place.", "Delete one of them.", True, middle)]
    if shared > 1e-6 * least:
        return [
            Fault(
                (a, b),
                f"share {shared * 1e9:.4g} mm3.",
                f"“{a if ahead > 0 else b}” wins there by its order."
                if ahead
                else "The smaller one wins there; to change that give the other a higher order.",
                False,
                middle,
            )
        ]
    near = max(NEAR, least_gap)
    gap = p.min_gap(q, near)
    if 1e-7 < gap < near:
        remedy = "Should they touch, move one, or mend all gaps up to a size; else it stays open."
        if gap < least_gap:
            remedy = "The grid's least gap settles it."
        return [Fault((a, b), f"are {gap * 1e3:.2g} mm apart.", remedy, gap >= least_gap, middle, gap)]
    return []
