"""Faces that radiate gathered to patches, and what the patches see of each other by cast rays; kept by geometry."""

from __future__ import annotations

import hashlib
import heapq
import os
from itertools import count
from pathlib import Path

import numpy as np
import platformdirs
from scipy.sparse import csr_matrix
from scipy.sparse.csgraph import connected_components

from ..mesh.occupancy import FLUID
from ..numerics import rays
from ..numerics.exchange import Exchange, balanced, pooled
from ..numerics.slabs import share
from ..setup.radiating import RadiatingFaces

#: patches at most, faces for each, and at least; rays of all together, and for each in the mean, at least and at most
MOST, EACH, LEAST = 2000, 8, 250
RAYS, MEAN, FEWEST, MOST_RAYS = 512_000, 1024, 64, 8192
#: version of what is kept, and how many are
KEPT, MOST_KEPT = 1, 60


def patches_wanted(faces: int) -> int:
    """How many patches a number of faces is gathered to."""
    return int(np.clip(faces // EACH, LEAST, MOST))


def gather(geo, f: RadiatingFaces, most: int) -> np.ndarray:
    """Number of the patch of every face: connected flat pieces of one owner and finish, halved on grid lines until
    there are ``most``, those of largest area times length first; curved walls by the way they look."""
    groups, alike = _components(geo, f)
    if groups.max(initial=-1) >= most:  # many small ones, such as pins: near ones of one part and direction together
        groups = alike
    extent = np.stack([geo.width[a][f.cell[:, a] + 1] for a in range(3)], -1)
    low = np.stack([geo.high[a][f.cell[:, a]] for a in range(3)], -1)
    order = np.argsort(groups, kind="stable")
    cuts = np.flatnonzero(np.diff(groups[order])) + 1
    heap: list[tuple] = []
    done: list[np.ndarray] = []
    serial = count()

    def put(which: np.ndarray) -> None:
        at = low[which]
        box = (at + extent[which]).max(axis=0) - at.min(axis=0)
        box[np.ptp(at, axis=0) <= 0.0] = 0.0  # a single layer, such as between mirrors, cannot be halved
        long = int(np.argmax(box))
        if box[long] > 0.0:
            heapq.heappush(heap, (-float(f.area[which].sum() * box[long]), next(serial), which, long))
        else:
            done.append(which)

    for which in np.split(order, cuts):
        put(which)
    while heap and len(heap) + len(done) < most:
        _, _, which, axis = heapq.heappop(heap)
        for part in _halved(which, low[which, axis], f.area[which]):
            put(part)
    out = np.zeros(len(f), np.int32)
    for number, which in enumerate([*done, *(h[2] for h in heap)]):
        out[which] = number
    return out


def _halved(which: np.ndarray, at: np.ndarray, area: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Two parts of about half the area on either side of a grid line; there are two layers at least."""
    of = np.unique(at, return_inverse=True)[1]
    sums = np.cumsum(np.bincount(of, area))
    cut = int(np.argmin(np.abs(sums[:-1] - 0.5 * sums[-1])))
    first = of <= cut
    return which[first], which[~first]


def _components(geo, f: RadiatingFaces) -> tuple[np.ndarray, np.ndarray]:
    """Groups of faces that hang together in one plane with one owner and finish (curved: that look the same way), and
    groups of those alike wherever they are."""
    n = len(f)
    way = np.abs(f.normal).argmax(axis=1)
    looks = 2 * way + (f.normal[np.arange(n), way] > 0)
    finish = np.unique(np.stack([f.emissivity, f.absorptivity], -1), axis=0, return_inverse=True)[1].ravel()
    alike = np.unique(np.stack([f.owner, looks, finish, f.straight], -1), axis=0, return_inverse=True)[1].ravel()
    one, other = [], []
    flat = geo.flat(f.cell)
    for a in range(3):
        for up in (0, 1):
            here = np.flatnonzero((f.axis == a) & (f.up == up) & f.straight)
            number = np.full(geo.size, -1, np.int64)
            number[flat[here]] = here
            for t in (x for x in range(3) if x != a):
                ahead = number[flat[here] + geo.s[t]]
                keep = (ahead >= 0) & (alike[here] == alike[ahead])
                one.append(here[keep])
                other.append(ahead[keep])
    curved = np.flatnonzero(~f.straight)
    if len(curved):  # one group for each that are alike
        order = curved[np.argsort(alike[curved], kind="stable")]
        same = alike[order][1:] == alike[order][:-1]
        one.append(order[:-1][same])
        other.append(order[1:][same])
    i, j = np.concatenate(one), np.concatenate(other)
    return connected_components(csr_matrix((np.ones(len(i)), (i, j)), (n, n)), directed=False)[1], alike


class Scene:
    """All that rays need to know of a case."""

    def __init__(self, geo, f: RadiatingFaces):
        case = geo.case
        self.n, self.s = np.array(geo.n, np.int64), np.array(geo.s, np.int64)
        self.lines = tuple(np.ascontiguousarray(x, float) for x in case.grid.lines)
        self.meets = np.zeros((6, geo.size), np.int32)
        clear = geo.kind == FLUID
        owner = np.where(geo.pad(case.kind == 1, False, bool), geo.pad(case.part, -1, np.int64), -9)
        inner = geo.padded_index() > 0
        self.owner = np.where(inner & clear, rays.OPEN, np.where(inner, owner, -9)).astype(np.int32)
        for a in range(3):
            for up in (False, True):
                row = self.meets[2 * a + up]
                row[geo.mirrored(a, up).ravel()] = rays.MIRROR
                if geo.periodic[a]:
                    edge = np.zeros(geo.shape, bool)
                    np.moveaxis(edge, a, 0)[-2 if up else 1] = True
                    row[edge.ravel()] = rays.AGAIN
        for number, patch in enumerate(case.outlets):
            if len(patch.cells):
                self.meets[2 * patch.axis + (patch.outward > 0)][geo.flat(patch.cells)] = rays.END - number
        flat = geo.flat(f.cell)
        for a in range(3):
            for up in (0, 1):
                here = np.flatnonzero((f.axis == a) & (f.up == up))
                self.meets[2 * a + up][flat[here]] = here + 1
        self.faces = (
            np.ascontiguousarray(f.cell, np.int64) + 1,
            f.axis.astype(np.int64),
            np.ascontiguousarray(f.centre, float),
            np.ascontiguousarray(f.normal, float),
            f.straight,
            f.owner,
            f.skip,
        )
        self.ends = len(case.outlets)

    def digest(self, patch_of: np.ndarray) -> str:
        """What the exchange depends on, as a short text."""
        h = hashlib.sha256(f"{KEPT} {RAYS} {MEAN} {FEWEST} {self.ends}".encode())
        for x in (*self.lines, self.meets, self.owner, *self.faces, patch_of):
            h.update(np.ascontiguousarray(x))
        return h.hexdigest()[:32]


def cast(scene: Scene, area: np.ndarray, patch_of: np.ndarray, tell=None) -> tuple[list, np.ndarray, float]:
    """Counts of rays: for each half of them (matrix (N, N), ends (N, E)); how many each patch sent in one half; and the
    share of rays that got lost. ``tell(share done)`` is called now and then."""
    from scipy.stats import qmc  # slow to import, and only a run that radiates needs it

    n = int(patch_of.max()) + 1
    total = np.bincount(patch_of, area, n)
    every = min(RAYS, MEAN * n)
    wanted = np.clip(0.5 * every * total / total.sum(), 0.5 * FEWEST, 0.5 * MOST_RAYS).astype(int)
    points = qmc.Sobol(4, seed=11).random_base2(int(np.ceil(np.log2(max(wanted.max(), 2)))))
    shifts = np.random.default_rng(7).random((2, n, 4))
    order = np.argsort(patch_of, kind="stable")
    begin = np.searchsorted(patch_of[order], np.arange(n + 1))
    head = (scene.n, scene.s, *scene.lines, scene.meets, scene.owner, scene.faces)

    def one(which) -> list:
        rows = []
        for m in which:
            of = order[begin[m] : begin[m + 1]]
            cumulative = np.cumsum(area[of])
            both = []
            for half in (0, 1):
                counts = np.zeros(n + scene.ends + 1, np.int32)
                rays.cast(
                    *head, of, cumulative / cumulative[-1], points[: wanted[m]], shifts[half, m], patch_of, n, counts
                )
                seen = np.flatnonzero(counts)
                both.append((seen, counts[seen]))
            rows.append(both)
        return rows

    found: list = []
    step = max(n // 20, 1)
    for first in range(0, n, step):
        which = range(first, min(first + step, n))
        half = len(which) // 2
        for part in share([lambda w=which[:half]: one(w), lambda w=which[half:]: one(w)]):
            found += part
        if tell is not None:
            tell(len(found) / n)
    out, lost = [], 0
    for half in (0, 1):
        at = np.concatenate([[0], np.cumsum([len(r[half][0]) for r in found])])
        cols, values = (np.concatenate([r[half][k] for r in found]) for k in (0, 1))
        whole = csr_matrix((values.astype(float), cols, at), (n, n + scene.ends + 1))
        lost += int(whole[:, -1].sum())
        out.append((whole[:, :n].tocsr(), whole[:, n:-1].toarray()))
    return out, wanted, lost / max(2 * int(wanted.sum()), 1)


#: who hears how far the exchange is while it is worked out: called with the share done
LISTENERS: list = []


def exchange(scene: Scene, area: np.ndarray, patch_of: np.ndarray) -> tuple[list, Exchange, float]:
    """Counts of both halves, the balanced exchange of all rays, and the share lost; from the user's cache where the
    same geometry has been worked out before."""
    n = int(patch_of.max()) + 1
    size = np.bincount(patch_of, area, n)
    file = Path(platformdirs.user_cache_dir("stithy")) / "exchange" / f"{scene.digest(patch_of)}.npz"
    kept = _kept(file, n, scene.ends)
    if kept is None:
        halves, _, lost = cast(scene, area, patch_of, lambda share: [hear(share) for hear in LISTENERS])
        _keep(file, halves, lost)
    else:
        halves, lost = kept
    matrix, ends = pooled(halves[0][0] + halves[1][0], halves[0][1] + halves[1][1], size)
    return halves, balanced(matrix, ends, size), lost


def _kept(file: Path, n: int, ends: int):
    """Counts as kept in a file; None where there is none, or it cannot be used."""
    try:
        with np.load(file, allow_pickle=False) as data:
            halves = []
            for half in (0, 1):
                ptr, cols, values, gone = (data[f"{name}{half}"] for name in ("ptr", "cols", "values", "gone"))
                if gone.shape != (n, ends) or len(ptr) != n + 1:
                    return None
                halves.append((csr_matrix((values.astype(float), cols, ptr), (n, n)), gone))
            os.utime(file)
            return halves, float(data["lost"])
    except (OSError, KeyError, ValueError):
        return None


def _keep(file: Path, halves, lost: float) -> None:
    """Keep counts in a file, and no more than :data:`MOST_KEPT` files; a disk that is full loses nothing but time."""
    try:
        file.parent.mkdir(parents=True, exist_ok=True)
        data = {"lost": np.array(lost)}
        for half, (matrix, gone) in enumerate(halves):
            data |= {
                f"ptr{half}": matrix.indptr,
                f"cols{half}": matrix.indices,
                f"values{half}": matrix.data.astype(np.int32),
                f"gone{half}": gone,
            }
        new = file.with_suffix(f".{os.getpid()}.new.npz")
        np.savez(new, **data)
        new.replace(file)
        old = sorted(file.parent.glob("*.npz"), key=lambda x: x.stat().st_mtime)
        for x in old[: max(len(old) - MOST_KEPT, 0)]:
            x.unlink(missing_ok=True)
    except OSError:
        return
