"""Kernels of transported scalars against the same mathematics written plainly: a sparse matrix built face by face, and
fields whose strain and gradients are known exactly."""

from __future__ import annotations

import numpy as np
import pytest
import scipy.sparse as sp
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.sparse.linalg import spsolve

from stithy.equations import scalars

SHAPES = [(4, 5, 6), (1, 12, 7), (3, 3, 20)]


class Cells:
    """A padded grid of random widths, with faces between fluid cells open and some cells solid."""

    def __init__(self, n, seed: int, solid: float = 0.15):
        rng = self.rng = np.random.default_rng(seed)
        self.n, shape = np.array(n), tuple(m + 2 for m in n)
        self.shape, self.size = shape, int(np.prod(shape))
        self.s = np.array([shape[1] * shape[2], shape[2], 1])
        self.width = [rng.uniform(0.5, 2.0, m + 2) for m in n]
        fluid = np.zeros(shape, bool)
        fluid[1:-1, 1:-1, 1:-1] = rng.random(n) > solid
        fluid[1, 1, 1] = True
        self.fluid = fluid.ravel()
        self.face = []
        for a in range(3):
            ahead = np.roll(fluid, -1, a)
            self.face.append((fluid & ahead).ravel().astype(np.int8))
        index = np.unravel_index(np.arange(self.size), shape)
        self.at = np.stack(index, -1)
        edges = [np.concatenate([[0.0], np.cumsum(w)]) for w in self.width]
        self.low = np.stack([edges[a][index[a]] for a in range(3)], -1)
        self.high = np.stack([edges[a][index[a] + 1] for a in range(3)], -1)
        self.centre = 0.5 * (self.low + self.high)

    def area(self, c: int, a: int) -> float:
        return float(np.prod([self.width[t][self.at[c][t]] for t in range(3) if t != a]))


def mean(a: float, b: float) -> float:
    """The mean of two diffusivities at a face: near the logarithmic one, which is exact where they grow linearly."""
    return (0.5 * (a + b) + 2.0 * np.sqrt(a * b)) / 3.0


@pytest.mark.parametrize("n", SHAPES)
@pytest.mark.parametrize("seed", [1, 2])
def test_what_sweeps_come_to_is_the_matrix_solved(n, seed):
    """Upwind convection, diffusion, what openings bring in, sources, sinks and held cells: relaxed sweeps end at what
    the matrix gives at once, whatever they begin with; the residual told at the end is none."""
    g = Cells(n, seed)
    rng, size = g.rng, g.size
    gamma = rng.uniform(0.05, 1.0, size)
    flux = [np.where(f == 1, rng.normal(0.0, 0.5, size), 0.0) for f in g.face]
    low, high = (tuple(np.zeros(size) for _ in range(3)) for _ in range(2))
    for a in range(3):
        scalars.links(g.n, g.s, a, g.face[a], flux[a], *g.width, gamma, low[a], high[a])
    more, sink = (np.where(g.fluid, rng.uniform(0.0, 0.3, size), 0.0) for _ in range(2))
    source = np.where(g.fluid, rng.uniform(0.0, 1.0, size), 0.0)
    held = g.fluid & (rng.random(size) < 0.1)
    value = rng.uniform(1.0, 2.0, size)
    matrix, right = sp.lil_matrix((size, size)), np.zeros(size)
    for c in range(size):
        if not g.fluid[c] or held[c]:
            matrix[c, c], right[c] = 1.0, value[c] if held[c] else 0.0
            continue
        matrix[c, c] += more[c] + sink[c]
        right[c] += source[c]
        for a in range(3):
            for near, carried, out in ((c + g.s[a], flux[a][c], 1.0), (c - g.s[a], flux[a][c - g.s[a]], -1.0)):
                if g.face[a][min(c, near)] != 1:
                    continue
                m = g.at[min(c, near)][a]
                apart = 0.5 * (g.width[a][m] + g.width[a][m + 1])
                weight = mean(gamma[c], gamma[near]) * g.area(c, a) / apart + max(-out * carried, 0.0)
                matrix[c, c] += weight
                matrix[c, near] -= weight
    exact = spsolve(matrix.tocsr(), right)
    x = np.where(g.fluid, rng.uniform(0.0, 3.0, size), 0.0)
    ap, r = np.zeros(size), 1.0
    for _ in range(4000):
        r = scalars.solve(
            g.n, g.s, g.fluid, low, high, *flux, more, sink, source, held, value, 0.8, 0.05, 0.0, x, ap,
            np.zeros(size), 4,
        )  # fmt: skip
        if r < 1e-12:
            break
    assert r < 1e-12
    assert x[g.fluid] == pytest.approx(exact[g.fluid], rel=1e-8)
    assert (x[~g.fluid] == 0.0).all()


def test_a_scalar_stays_above_its_least():
    """Sinks cannot take it below, where the matrix alone would."""
    g = Cells((3, 4, 5), 3, solid=0.0)
    low, high = (tuple(np.zeros(g.size) for _ in range(3)) for _ in range(2))
    still = [np.zeros(g.size) for _ in range(3)]
    for a in range(3):
        scalars.links(g.n, g.s, a, g.face[a], still[a], *g.width, np.full(g.size, 0.1), low[a], high[a])
    x, none = np.where(g.fluid, 1.0, 0.0), np.zeros(g.size, bool)
    source = np.where(g.fluid, -5.0, 0.0)
    for _ in range(20):
        scalars.solve(
            g.n, g.s, g.fluid, low, high, *still, np.zeros(g.size), np.ones(g.size), source, none, x, 0.8, 0.0, 0.25,
            x, np.zeros(g.size), np.zeros(g.size), 2,
        )  # fmt: skip
    assert (x[g.fluid] == 0.25).all()


def inside(g: Cells, far: int) -> np.ndarray:
    """Fluid cells whose neighbours, up to so many along every axis, are all fluid."""
    whole = g.fluid.reshape(g.shape).copy()
    for _ in range(far):
        here = whole.copy()
        for a in range(3):
            here &= np.roll(whole, 1, a) & np.roll(whole, -1, a)
        whole = here
    return whole.ravel()


@settings(max_examples=25)
@given(st.integers(0, 10**6))
def test_strain_of_a_linear_flow_is_exact(seed):
    """u = A x on cells of any widths: S^2 = 2 S:S with S the symmetric part of A; a turning flow has none, and the
    kernel sees only the symmetric part, whichever it is."""
    g = Cells((5, 6, 5), seed, solid=0.0)
    a = g.rng.normal(0.0, 1.0, (3, 3))
    on_face = [np.where(np.arange(3) == t, g.high, g.centre) for t in range(3)]
    out, law = np.zeros(g.size), np.ones(g.size)
    for part, expected in ((a, None), (0.5 * (a - a.T), 0.0)):
        u = [on_face[t] @ part[t] for t in range(3)]
        scalars.strain2(1, g.n[0], g.n, g.s, g.fluid, *g.face, *u, *g.width, law, out)
        s = 0.5 * (part + part.T)
        exact = 2.0 * (s * s).sum() if expected is None else expected
        assert out[inside(g, 1)] == pytest.approx(exact, rel=1e-9, abs=1e-9)
    assert (out[~g.fluid] == 0.0).all()


@settings(max_examples=25)
@given(st.integers(0, 10**6))
def test_product_of_gradients(seed):
    """Of two linear fields the scalar product of their slopes, on cells of any widths; beside solids the slope is that
    towards fluid alone, and there is none across a solid."""
    g = Cells((4, 5, 6), seed)
    one, two = g.rng.normal(0.0, 1.0, (2, 3))
    x, y, out = g.centre @ one, g.centre @ two, np.zeros(g.size)
    scalars.product(g.n, g.s, g.fluid, *g.face, x, y, *g.width, out)
    for c in np.flatnonzero(g.fluid):
        axes = [t for t in range(3) if g.face[t][c] == 1 or g.face[t][c - g.s[t]] == 1]
        assert out[c] == pytest.approx(sum(one[t] * two[t] for t in axes), rel=1e-9, abs=1e-9)
    assert (out[~g.fluid] == 0.0).all()
