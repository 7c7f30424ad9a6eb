"""Straight rays through a rectilinear grid: from faces of cells to the first face that stops them.

All arrays are flat and padded by one ghost layer, z fastest. ``meets`` (6, size), int32, tells what a ray meets that
leaves a cell through its low face (row 2 axis) or high face (row 2 axis + 1): 0 nothing, :data:`MIRROR`,
:data:`AGAIN` (it goes on from the far side), 1 + number of a face that stops it, or :data:`END` less the number of an
end, through which it is gone.
"""

from __future__ import annotations

import numpy as np
from numba import njit

MIRROR, AGAIN, END = -1, -2, -3
#: what a trace gives besides a face's number (0 and above): the ray got lost, or passed end e as GONE - e
LOST, GONE = -1, -2
#: owner of cells where rays may go on; steps after which one is lost
OPEN, MOST_STEPS = -1, 200_000


@njit(cache=True, nogil=True)
def trace(n, s, lines0, lines1, lines2, meets, owner, wall_owner, p, d, i, own, skip, cosine):
    """Where one ray ends: number of a face, :data:`LOST`, or :data:`GONE` less the number of an end.

    ``p``, ``d`` (3) are its start (m) and direction, both changed; ``i`` (3) its padded cell, changed. Below the height
    ``skip`` (m) over the surface that it leaves, walls of the same owner ``own`` do not stop it: a curved surface made
    of cells would shade itself. ``owner`` per cell, ``wall_owner`` per face.
    """
    inverse, step, far = np.empty(3), np.empty(3, np.int64), np.empty(3)
    c = i[0] * s[0] + i[1] * s[1] + i[2]
    for a in range(3):
        lines = lines0 if a == 0 else (lines1 if a == 1 else lines2)
        step[a] = 1 if d[a] > 0.0 else -1
        inverse[a] = 1.0 / d[a] if abs(d[a]) > 1e-12 else 1e12 * step[a]
        far[a] = (lines[i[a]] - p[a]) * inverse[a] if step[a] > 0 else (lines[i[a] - 1] - p[a]) * inverse[a]
    last = LOST
    for _ in range(MOST_STEPS):
        a = 0
        if far[1] < far[0]:
            a = 1
        if far[2] < far[a]:
            a = 2
        t = far[a]
        row = 2 * a + (1 if step[a] > 0 else 0)
        lines = lines0 if a == 0 else (lines1 if a == 1 else lines2)
        w = meets[row, c]
        if w == MIRROR:
            x = lines[i[a]] if step[a] > 0 else lines[i[a] - 1]
            p[a] = 2.0 * x - p[a]
            inverse[a], step[a] = -inverse[a], -step[a]
            far[a] = (lines[i[a]] - p[a]) * inverse[a] if step[a] > 0 else (lines[i[a] - 1] - p[a]) * inverse[a]
            continue
        if w <= END:
            return GONE - (END - w)
        if w > 0:
            if wall_owner[w - 1] != own or t * cosine >= skip:
                return w - 1
            last = w - 1
        if w == AGAIN:
            whole = lines[n[a]] - lines[0]
            p[a] -= step[a] * whole
            c -= step[a] * (n[a] - 1) * s[a]
            i[a] = 1 if step[a] > 0 else n[a]
        else:
            c += step[a] * s[a]
            i[a] += step[a]
        o = owner[c]
        if o != OPEN and (o != own or t * cosine >= skip):
            return last
        far[a] = (lines[i[a]] - p[a]) * inverse[a] if step[a] > 0 else (lines[i[a] - 1] - p[a]) * inverse[a]
    return LOST


@njit(cache=True, nogil=True)
def find(lines, x):
    """Padded number (1 to n) of the cell that holds ``x``, clamped."""
    low, high = 0, lines.size - 1
    while high - low > 1:
        mid = (low + high) // 2
        if lines[mid] <= x:
            low = mid
        else:
            high = mid
    return low + 1


@njit(cache=True, nogil=True)
def start(lines0, lines1, lines2, at, axis, centre, normal, straight, u, v, p, i):
    """Put a ray's start ``p`` (m) and padded cell ``i`` on the face of cell ``at`` across ``axis``, at the shares
    ``u``, ``v`` of its sides; on an oblique one on the plane through ``centre`` square to ``normal``."""
    first = True
    for a in range(3):
        lines = lines0 if a == 0 else (lines1 if a == 1 else lines2)
        i[a] = at[a]
        if a == axis:
            p[a] = centre[a]
            continue
        share = u if first else v
        first = False
        p[a] = lines[at[a] - 1] + share * (lines[at[a]] - lines[at[a] - 1])
    if straight:
        return
    off = 0.0
    for a in range(3):
        off += (p[a] - centre[a]) * normal[a]
    for a in range(3):
        lines = lines0 if a == 0 else (lines1 if a == 1 else lines2)
        width = 1e-9 * (lines[lines.size - 1] - lines[0])
        p[a] = min(max(p[a] - off * normal[a], lines[0] + width), lines[lines.size - 1] - width)
        i[a] = find(lines, p[a])


@njit(cache=True, nogil=True)
def direct(normal, u, v, d):
    """Direction ``d`` about a unit ``normal`` by the cosine law from two shares; returns the cosine."""
    sine, cosine = np.sqrt(u), np.sqrt(1.0 - u)
    angle = 2.0 * np.pi * v
    a = 0
    if abs(normal[1]) < abs(normal[a]):
        a = 1
    if abs(normal[2]) < abs(normal[a]):
        a = 2
    b, c = (a + 1) % 3, (a + 2) % 3
    size = np.sqrt(normal[b] ** 2 + normal[c] ** 2)
    # first across: (0, -n_c, n_b) / size; second: normal x first
    e = np.zeros(3)
    e[b], e[c] = -normal[c] / size, normal[b] / size
    f0 = normal[1] * e[2] - normal[2] * e[1]
    f1 = normal[2] * e[0] - normal[0] * e[2]
    f2 = normal[0] * e[1] - normal[1] * e[0]
    x, y = sine * np.cos(angle), sine * np.sin(angle)
    d[0] = cosine * normal[0] + x * e[0] + y * f0
    d[1] = cosine * normal[1] + x * e[1] + y * f1
    d[2] = cosine * normal[2] + x * e[2] + y * f2
    return cosine


@njit(cache=True, nogil=True)
def cast(n, s, lines0, lines1, lines2, meets, owner, faces, of, share, samples, shift, patch_of, patches, counts):
    """Send rays from one patch, and add what they meet to ``counts``: patches, then ends, then lost ones.

    ``faces`` is (cell (m, 3) padded, axis, centre (m, 3), normal (m, 3), straight, owner, skip); ``of`` the numbers of
    the patch's own ones and ``share`` their cumulative areas over the whole, ``samples`` (k, 4) and ``shift`` (4) the
    points, ``patch_of`` the patch of every face, of which there are ``patches``.
    """
    cells, axis, centre, normal, straight, wall_owner, skip = faces
    p, d, i = np.zeros(3), np.zeros(3), np.zeros(3, np.int64)
    for m in range(samples.shape[0]):
        u0, u1 = (samples[m, 0] + shift[0]) % 1.0, (samples[m, 1] + shift[1]) % 1.0
        u2, u3 = (samples[m, 2] + shift[2]) % 1.0, (samples[m, 3] + shift[3]) % 1.0
        k = min(np.searchsorted(share, u0, side="right"), of.size - 1)
        f = of[k]
        before = share[k - 1] if k > 0 else 0.0
        along = min(max((u0 - before) / max(share[k] - before, 1e-30), 0.0), 1.0)
        start(lines0, lines1, lines2, cells[f], axis[f], centre[f], normal[f], straight[f], along, u1, p, i)
        cosine = direct(normal[f], u2, u3, d)
        got = trace(n, s, lines0, lines1, lines2, meets, owner, wall_owner, p, d, i, wall_owner[f], skip[f], cosine)
        if got == LOST:
            counts[counts.size - 1] += 1
        elif got <= GONE:
            counts[patches + GONE - got] += 1
        else:
            counts[patch_of[got]] += 1


@njit(cache=True, nogil=True)
def beam(n, s, lines0, lines1, lines2, meets, owner, faces, towards, samples, out):
    """Share of ``samples`` (k, 2) rays from each face that reach each end along ``towards`` (3): added to ``out``
    (faces, ends); none where the face looks away."""
    cells, axis, centre, normal, straight, wall_owner, skip = faces
    p, d, i = np.zeros(3), np.zeros(3), np.zeros(3, np.int64)
    for f in range(axis.size):
        cosine = normal[f, 0] * towards[0] + normal[f, 1] * towards[1] + normal[f, 2] * towards[2]
        if cosine <= 1e-9:
            continue
        for m in range(samples.shape[0]):
            u, v = samples[m, 0], samples[m, 1]
            start(lines0, lines1, lines2, cells[f], axis[f], centre[f], normal[f], straight[f], u, v, p, i)
            d[:] = towards
            got = trace(n, s, lines0, lines1, lines2, meets, owner, wall_owner, p, d, i, wall_owner[f], skip[f], cosine)
            if got <= GONE:
                out[f, GONE - got] += 1.0 / samples.shape[0]
