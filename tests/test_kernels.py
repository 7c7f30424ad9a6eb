"""The solver's kernels against the same mathematics written plainly: matrices, loops over cells, closed forms."""

from __future__ import annotations

import itertools

import numpy as np
import pytest
import scipy.sparse as sp
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.sparse.csgraph import connected_components

from stithy.equations import energy, momentum, pressure, walls
from stithy.equations.staggered import Staggered
from stithy.errors import SolveFailed
from stithy.mesh.crossings import Crossings
from stithy.mesh.lines import Grid
from stithy.numerics import cycles, krylov, limiter, slabs, smoothers
from stithy.numerics.joined import Convected, Symmetric
from stithy.numerics.stale import forget_stale
from stithy.setup.case import Fluid, side_links, side_opening, simple_case
from stithy.solve.foretell import CLOSING, iterations_left, told
from stithy.solve.steady import Settings, Steady

SHAPES = ((4, 5, 6), (3, 9, 31), (5, 60, 12), (2, 3, 40))
AIR = Fluid(1.2, 1.8e-5, 1006.0, 0.026, 3.4e-3)


def links(n, seed: int, blocked: float = 0.2):
    """Random conductances on the high faces between inner cells, some of them blocked; flat padded arrays, and
    strides."""
    rng = np.random.default_rng(seed)
    shape = tuple(m + 2 for m in n)
    out = []
    for a in range(3):
        g = np.zeros(shape)
        inner = tuple(slice(1, m if t == a else m + 1) for t, m in enumerate(n))
        g[inner] = rng.uniform(0.1, 2.0, g[inner].shape) * (rng.random(g[inner].shape) > blocked)
        out.append(g.ravel())
    return out, np.array([shape[1] * shape[2], shape[2], 1]), rng


def inner_cells(n) -> np.ndarray:
    """Flat indices of the inner cells."""
    flat = np.arange(int(np.prod([m + 2 for m in n]))).reshape([m + 2 for m in n])
    return flat[1:-1, 1:-1, 1:-1].ravel()


def matrix(n, s, g, extra) -> sp.csr_matrix:
    """The pressure equation's matrix over all padded cells, built face by face."""
    size = len(extra)
    a = sp.lil_matrix((size, size))
    for c in inner_cells(n):
        a[c, c] += extra[c]
    for t in range(3):
        for c in np.flatnonzero(g[t]):
            o = c + s[t]
            a[c, c] += g[t][c]
            a[o, o] += g[t][c]
            a[c, o] -= g[t][c]
            a[o, c] -= g[t][c]
    return a.tocsr()


@pytest.mark.parametrize("n", SHAPES)
def test_products_are_those_of_the_matrix(n):
    """Pressure and energy products, and the divergence, agree with matrices built face by face; ghosts stay zero."""
    g, s, rng = links(n, 1)
    size, cells = len(g[0]), inner_cells(n)
    extra = np.zeros(size)
    extra[cells] = rng.uniform(0, 0.1, len(cells))
    x, y = rng.standard_normal(size), np.zeros(size)
    x[np.setdiff1d(np.arange(size), cells)] = 0.0
    full = matrix(n, s, g, extra)
    dot = pressure.laplace(np.array(n), s, *g, extra, x, y)
    assert y == pytest.approx(full @ x, abs=1e-12)
    assert dot == pytest.approx(x @ (full @ x))
    low = [np.roll(c, s[t]) for t, c in enumerate(g)]
    z = np.zeros(size)
    energy.apply(np.array(n), s, tuple(low), tuple(g), extra, x, z)
    assert z == pytest.approx(full @ x, abs=1e-12)
    out = np.zeros(size)
    total = pressure.divergence(np.array(n), s, *g, out)
    net = sum(np.roll(c, s[t]) - c for t, c in enumerate(g))
    assert out[cells] == pytest.approx(net[cells], abs=1e-12)
    assert total == pytest.approx(np.abs(net[cells]).sum())


@pytest.mark.parametrize("forward", [True, False])
@pytest.mark.parametrize("n", SHAPES)
def test_sweep_is_gauss_seidel_in_its_order(n, forward):
    """A sweep gives what a loop over the cells gives: planes and rows in order, in a row the odd and even cells in
    turn."""
    g, s, rng = links(n, 2, 0.0)
    size, cells = len(g[0]), inner_cells(n)
    low, high = [np.roll(c, s[t]) * 0.9 for t, c in enumerate(g)], g
    diagonal = sum(low) + sum(high) + 0.3
    inverse = np.zeros(size)
    inverse[cells] = 1 / diagonal[cells]
    inverse[cells[::7]] = 0.0
    b, start = rng.standard_normal(size), rng.standard_normal(size)
    for keep in (True, False):
        x, y = start.copy(), start.copy()
        smoothers.sweep(np.array(n), s, np.ones(3, np.int64), x, tuple(low), tuple(high), inverse, b, forward, keep)
        for i in range(1, n[0] + 1) if forward else range(n[0], 0, -1):
            for j in range(1, n[1] + 1) if forward else range(n[1], 0, -1):
                for half in (1, 2) if forward else (2, 1):
                    for k in range(half, n[2] + 1, 2):
                        c = i * s[0] + j * s[1] + k
                        if inverse[c] == 0.0:
                            y[c] = y[c] if keep else 0.0
                            continue
                        y[c] = inverse[c] * (
                            b[c] + sum(low[t][c] * y[c - s[t]] + high[t][c] * y[c + s[t]] for t in range(3))
                        )
        assert x == pytest.approx(y, abs=1e-12)


def van_albada(far, up, down, d_up, d, reach) -> float:
    """The limited correction to the upwind value, plainly."""
    a, b = (up - far) / d_up, (down - up) / d
    if a * b <= 0:
        return 0.0
    value = reach * a * b * (a + b) / (a * a + b * b)
    return min(value, down - up) if down > up else max(value, down - up)


@pytest.mark.parametrize("axis", [0, 1, 2])
def test_deferred_convection_is_the_limited_scheme(axis):
    """What the limited scheme adds to upwind in energy, on a graded grid with blocked faces, is that of a loop over
    faces."""
    rng = np.random.default_rng(3)
    lines = [np.cumsum(rng.uniform(0.5, 2.0, m)) for m in (6, 8, 28)]
    case = simple_case(Grid(tuple(lines)), AIR)
    geo = Staggered(case)
    shape, s = geo.shape, geo.s
    face = geo.face[axis].copy()
    face[rng.random(geo.size) < 0.2] = 0
    f, x = rng.standard_normal(geo.size), rng.standard_normal(geo.size)
    b = np.zeros(geo.size)
    energy.deferred(geo.n.astype(np.int64), smoothers.strides(s), axis, face, f, limiter.cell_spacings(geo)[axis], x, b)
    wanted = np.zeros(geo.size)
    at, cut, st_ = geo.points[axis], geo.high[axis], s[axis]
    for c in np.flatnonzero(face == 1):
        m = np.unravel_index(c, shape)[axis]
        if f[c] > 0 and m > 0 and face[c - st_] == 1:
            late = van_albada(x[c - st_], x[c], x[c + st_], at[m] - at[m - 1], at[m + 1] - at[m], cut[m] - at[m])
        elif f[c] < 0 and m < geo.n[axis] and face[c + st_] == 1:
            late = van_albada(
                x[c + 2 * st_], x[c + st_], x[c], at[m + 1] - at[m + 2], at[m] - at[m + 1], cut[m] - at[m + 1]
            )
        else:
            continue
        wanted[c] -= f[c] * late
        wanted[c + st_] += f[c] * late
    assert np.abs(wanted).max() > 0.1
    assert b == pytest.approx(wanted, abs=1e-12)


@given(st.integers(0, 2), st.integers(0, 10_000))
@settings(max_examples=12, deadline=None)
def test_momentum_links_keep_momentum(own, seed):
    """Whatever flows, what the deferred convection takes from one control volume it gives to the next, and a uniform
    velocity in a flow without divergence feels no force from convection."""
    rng = np.random.default_rng(seed)
    lines = [np.cumsum(rng.uniform(0.5, 2.0, m)) for m in (6, 9, 14)]
    geo = Staggered(simple_case(Grid(tuple(lines)), AIR))
    n, s = geo.n.astype(np.int64), smoothers.strides(geo.s)
    flow = Steady(geo.case).flow
    phi, mu = rng.standard_normal(geo.size), np.abs(rng.standard_normal(geo.size)) * flow.fluid
    low, high = np.zeros((3, geo.size), np.float32), np.zeros((3, geo.size), np.float32)
    b, carry = np.zeros(geo.size), np.zeros(geo.size)
    flux = [rng.standard_normal(geo.size) * (geo.face[t] == 1) for t in range(3)]
    for t in range(3):
        first, spacing = flow.points[own][t]
        momentum.faces(
            s, own, t, first, n, phi, geo.face[own], flux[t], geo.g[own][t], mu, 1.0, spacing, low[t], high[t], b, carry
        )
    assert np.abs(b).max() > 1e-3
    assert b.sum() == pytest.approx(0.0, abs=1e-9 * np.abs(b).sum())
    assert carry.min() >= 0
    # weights of the two sides of a face differ by what flows through it
    c = np.flatnonzero(geo.face[own] == 1)
    for t in range(3):
        inside = c[(c + s[t] < geo.size)]
        inside = inside[geo.face[own][inside + s[t]] == 1]
        through = 0.5 * (flux[t][inside] + flux[t][inside + s[own]])
        assert (low[t][inside + s[t]] - high[t][inside]) == pytest.approx(through, abs=1e-5)


@pytest.mark.parametrize("stretch", [1.0, 1.3])
def test_pressure_solver_converges_at_every_size(stretch):
    """Conjugate gradients with one cycle reach 1e-8 in a bounded number of iterations, whatever the number of cells;
    the solution is that of a direct solve."""
    counts = []
    for m in (8, 16, 32):
        n = (m, m, m)
        width = stretch ** np.minimum(np.arange(m), np.arange(m)[::-1]).clip(max=8)
        g, s, rng = links(n, 4, 0.0)
        for t in range(3):
            along = [1, 1, 1]
            along[t] = m
            g[t].reshape(m + 2, m + 2, m + 2)[1:-1, 1:-1, 1:-1] *= 1 / width.reshape(along)
        cells = inner_cells(n)
        extra, b = np.zeros(len(g[0])), np.zeros(len(g[0]))
        extra[cells[: m * m]] = 1.0
        b[cells] = rng.standard_normal(len(cells))
        x, it, level = pressure.PressureSolver(n, s).solve(g, extra, b, 1e-8, 100)
        assert level <= 1e-8
        counts.append(it)
        if m == 8:
            exact = sp.linalg.spsolve(matrix(n, s, g, extra)[cells][:, cells].tocsc(), b[cells])
            assert x[cells] == pytest.approx(exact, abs=1e-6 * np.abs(exact).max())
    assert max(counts) < 45
    assert counts[2] < counts[0] + 25


def test_convective_hierarchy_is_a_preconditioner():
    """BiCGSTAB with one cycle solves strong convection with conduction that jumps by 1e4 in a bounded number of
    iterations."""
    n = (24, 20, 18)
    g, s, rng = links(n, 5, 0.0)
    size, cells = len(g[0]), inner_cells(n)
    shape = tuple(m + 2 for m in n)
    for t in range(3):
        g[t].reshape(shape)[8:14, 6:12, :] *= 1e4
    flux = [np.zeros(size) for _ in range(3)]
    flux[0].reshape(shape)[1 : n[0], 1:-1, 1:-1] = 5.0  # a uniform stream
    extra, b = np.zeros(size), np.zeros(size)
    extra.reshape(shape)[1, 1:-1, 1:-1] = 5.0
    b[cells] = rng.random(len(cells))
    grid = Convected(n, s)
    grid.prepare(g, flux, extra)
    low, high = grid.low, grid.high
    x = np.zeros(size)

    def product(y, out):
        energy.apply(np.array(n), s, low, high, extra, y, out)

    count, level = krylov.bicgstab(product, lambda r: grid.cycle(r).astype(float), b, x, 1e-6, 1e-12, 60)
    assert level < 1e-6
    assert count < 25
    out = np.zeros(size)
    product(x, out)
    assert np.linalg.norm((out - b)[cells]) < 2e-6 * np.linalg.norm(b)


@pytest.mark.parametrize("periodic", [(False, False, False), (True, False, True)])
def test_aggregates_have_the_sums_of_their_cells_equations(periodic):
    """The first coarser level is P' A P, P telling which aggregate each cell is in; also when only the coefficients are
    new. Every aggregate hangs together and has few cells, and the levels below shrink likewise."""
    n = (9, 7, 8)
    g, s, rng = links(n, 6, 0.3)
    for t in range(3):  # nothing passes the outer sides but periodic ones
        ends = np.moveaxis(g[t].reshape(tuple(m + 2 for m in n)), t, 0)
        ends[-2] = rng.random(ends[-2].shape) if periodic[t] else 0.0
        ends[0] = ends[-2]
    grid, cells = Symmetric(n, s, periodic), inner_cells(n)
    for anew, scale in ((True, 1.0), (False, 2.0)):
        c = [scale * x * (1.0 if anew else rng.uniform(0.5, 1.5, x.size)) for x in g]
        for t in range(3):
            cycles.wrap(np.array(n), s, np.array(periodic), c[t])
        extra = np.zeros(len(g[0]))
        extra[cells] = rng.random(len(cells))
        grid.prepare(c, extra)
        number = np.full(len(extra), -1)
        number[cells] = np.arange(len(cells))
        cycles.wrap(np.array(n), s, np.array(periodic), number)
        rows = [(number[m], number[m + s[t]], c[t][m]) for t in range(3) for m in cells if number[m + s[t]] >= 0]
        i, j, w = (np.array(x) for x in zip(*rows, strict=True))
        size = len(cells)
        fine = sp.coo_matrix(
            (np.concatenate([-w, -w, w, w]), (np.concatenate([i, j, i, j]), np.concatenate([j, i, i, j]))), (size, size)
        )
        fine = fine.tocsr() + sp.diags(extra[cells])
        of, ladder = grid.of[cells], grid.ladder
        assert of.min() == 0
        assert np.bincount(of).max() <= 8
        together = sp.csr_matrix((np.ones(size), (np.arange(size), of)))
        coarse = together.T @ fine @ together
        first, last = ladder.places[:2]
        ours = sp.csr_matrix(
            (-ladder.values[first:last], ladder.cols[first:last], ladder.ptr[: ladder.rows[0] + 1]), coarse.shape
        )
        ours = ours + sp.diags(1.0 / ladder.inverse[: ladder.rows[0]])
        assert abs(coarse - ours).max() < 1e-5 * abs(coarse).max()
        linked = sp.coo_matrix((np.ones(len(i)) * (of[i] == of[j]), (i, j)), (size, size)).tocsr()
        linked.eliminate_zeros()
        assert connected_components(linked, directed=False)[0] == ladder.rows[0]
        assert all(b < 0.6 * a for a, b in itertools.pairwise(ladder.rows))


@given(st.integers(0, 10_000))
@settings(max_examples=60, deadline=None)
def test_wall_distance_is_to_the_nearest_face(seed):
    """In a box with random blocks the distance handed from cell to cell is that to the nearest of all wall faces, never
    less, and in few cells more (where the nearest face is nearest to none of the cells between)."""
    rng = np.random.default_rng(seed)
    lines = [np.concatenate([[0.0], np.cumsum(rng.uniform(0.5, 1.5, m))]) for m in (9, 8, 7)]
    case = simple_case(Grid(tuple(lines)), AIR)
    for _ in range(4):
        i, j, k = rng.integers(0, (6, 5, 4))
        case.kind[i : i + 3, j : j + 2, k : k + rng.integers(1, 4)] = 1
    found = walls.wall_distance(case)
    index, sides, fluid = walls._wall_faces(case, [1, 1, 1])
    at = np.stack([case.grid.centres[a][index[:, a]] for a in range(3)], -1)
    half = np.stack([0.5 * case.grid.widths[a][index[:, a]] for a in range(3)], -1)
    rows = np.arange(len(index))
    at[rows, sides[:, 0]] += sides[:, 1] * half[rows, sides[:, 0]]
    half[rows, sides[:, 0]] = 0.0
    more = []
    for c in np.argwhere(fluid)[::3]:
        x = np.array([case.grid.centres[a][c[a]] for a in range(3)])
        nearest = np.sqrt((np.maximum(np.abs(x - at) - half, 0.0) ** 2).sum(1)).min()
        more.append(found[tuple(c)] / nearest - 1)
    assert min(more) > -1e-9
    assert max(more) < 0.2
    assert np.mean(np.array(more) > 1e-9) < 0.04


@given(st.integers(9, 40), st.floats(0.0, 0.9), st.booleans())
@settings(max_examples=25, deadline=None, derandomize=True)
def test_wall_distance_of_a_curved_wall(cells, shift, inside):
    """In a bore the distance to the wall is the true one within six hundredths of a cell, wherever the wall cuts cells;
    around a rod within what tangents of half a cell's length stand off."""
    x = (np.arange(cells + 9) - 0.5 * (cells + 8) + shift) / cells
    grid = Grid((x, np.array([0.0, 5.0]), x))
    case = simple_case(grid, AIR)
    a, b = grid.centres[0], grid.centres[2]
    radius, far = 0.5 if inside else 0.25, np.hypot(a[:, None], b[None, :])
    solid = far >= radius if inside else far < radius
    case.kind[solid[:, None, :]] = 1
    shares, tilts = [], []
    for axis, (along, across) in enumerate(((a, b), (None, None), (b, a))):
        share, tilt = np.full(grid.shape, np.nan), np.zeros(grid.shape)
        if along is not None:
            for m, c in np.ndindex(len(along) - 1, len(across)):
                low, high = along[m], along[m + 1]
                first, second = (np.hypot(v, across[c]) < radius for v in (low, high))
                if first != second:
                    root = np.sqrt(radius**2 - across[c] ** 2)
                    at = root if low + high > 0 else -root
                    index = (m, 0, c) if axis == 0 else (c, 0, m)
                    share[index], tilt[index] = (at - low) / (high - low), root / radius
        shares.append(share)
        tilts.append(tilt)
    case.crossing = Crossings(tuple(shares), tuple(tilts))
    case.symmetry = frozenset({"y-", "y+"} | (set() if inside else {"x-", "x+", "z-", "z+"}))
    off = np.abs(walls.wall_distance(case)[:, 0, :] - np.abs(far - radius))[~solid] * cells
    assert off.max() < (0.06 if inside else 0.06 + 0.6 / (radius * cells))


def channel_with_a_block(mixing: str = "laminar"):
    """A short channel, heated from below, with a solid in its way."""
    x = np.linspace(0.0, 0.04, 21)
    case = simple_case(Grid((x, x[:13], x[:14])), AIR, gravity=(0.0, 0.0, -9.81), reference=300.0)
    case.kind[7:11, 3:8, :6] = 1
    case.mixing = mixing
    case.openings = [
        side_opening(case, "x-", kind="velocity", speed=0.4, temperature=300.0),
        side_opening(case, "x+", kind="pressure", temperature=300.0),
    ]
    case.links = side_links(case, "z-", 320.0)
    return case


def test_coarser_levels_reach_farther_than_sweeps():
    """Where viscosity rules, a smooth residual of one component that sixteen more sweeps hardly halve is taken down to
    less than a tenth by two calls of coarser levels."""
    x = np.linspace(0.0, 0.04, 31)
    case = simple_case(Grid((x, x, x)), Fluid(1.0, 10.0, 1.0, 1.0, 0.0))
    flow = Steady(case).flow
    for array in (flow.ap, flow.b, flow.carry):
        array.fill(0.0)
    flow._links(0, flow.fluxes(), 0.0)
    flow._close(flow.whole, 0, flow.p, False, 1.0, 0.0)
    u, b = flow.u[0], flow.geo.control[0] * (flow.ap > 0)
    flow.sweeper.sweeps(0, u, b)
    swept, more = flow.sweeper.defect(0, u, b), u.copy()
    assert swept > 0.7 * b.sum()
    flow.sweeper.sweeps(0, more, b, 8)
    assert flow.sweeper.defect(0, more, b) > 0.45 * swept
    flow.sweeper.by_grids(0, u, b)
    flow.sweeper.by_grids(0, u, b)
    assert flow.sweeper.defect(0, u, b) < 0.1 * swept


def test_two_slabs_have_the_equations_of_one_piece(monkeypatch):
    """Links, diagonals, residuals, divergence and strain of a grid cut in two are those of the whole one to the last
    digit; sweeps to and fro come to the same velocities."""
    pair = []
    for least in (10**9, 1):
        monkeypatch.setattr(slabs, "LEAST", least)
        flow = Steady(channel_with_a_block("wall-law")).flow
        rng = np.random.default_rng(3)
        flow.u = [rng.standard_normal(flow.geo.size) * (face > 0) for face in flow.geo.face]
        flow.p = rng.standard_normal(flow.geo.size) * flow.fluid
        flow.mixing.update()
        found = [
            flow.mixing.strain.s2.copy(),
            flow.mu_eff.copy(),
            np.array(flow.divergence(flow.fluxes())),
            flow.div.copy(),
        ]
        for a in range(3):
            for x in (flow.ap, flow.b, flow.carry):
                x.fill(0.0)
            flow._links(a, flow.fluxes(), 1.0)
            sums = [flow._close(part, a, flow.p, False, 0.0, 0.0) for part in flow.parts]
            found += [*(x.copy() for x in (*flow.low, *flow.high, flow.ap, flow.b, flow.d[a])), np.sum(sums, axis=0)]
            for _ in range(240):
                flow.sweeper.sweeps(a, flow.u[a], flow.b)
            found.append(flow.u[a].copy())
        pair.append((len(flow.parts), found))
    (one, whole), (two, cut) = pair
    assert (one, two) == (1, 2)
    for x, y in zip(whole, cut, strict=True):
        assert y == pytest.approx(x, rel=1e-6, abs=1e-9 * max(float(np.abs(x).max()), 1e-9))


def test_two_threads_come_to_the_same_answer(monkeypatch):
    """A buoyant run whose every level and sum is shared by two threads settles where the run of one thread does, and
    again at the very same numbers."""
    ends = []
    for least in (10**9, 1, 1):
        monkeypatch.setattr(slabs, "LEAST", least)
        run = Steady(channel_with_a_block(), Settings(momentum=1e-7))
        assert run.run().settled
        assert (len(run.flow.solver.grid.parts) == 2) == (least == 1)
        ends.append(run.fields())
    one, two, again = ends
    assert two.temperature == pytest.approx(one.temperature, abs=2e-3)
    assert two.u == pytest.approx(one.u, abs=1e-4)
    assert np.array_equal(two.u, again.u)
    assert np.array_equal(two.temperature, again.temperature)


def test_shared_work_tells_of_errors_and_is_taken_once():
    """Each of two pieces is done once, whoever does it; an error in either is raised when both have ended."""
    done = []
    for m in range(300):
        assert slabs.share([lambda m=m: done.append(m) or m, lambda m=m: done.append(-m) or -m]) == [m, -m]
    assert sorted(done) == sorted([*range(300), *(-m for m in range(300))])
    for works in ([lambda: 1, lambda: 1 / 0], [lambda: 1 / 0, lambda: 1]):
        with pytest.raises(ZeroDivisionError):
            slabs.share(works)


def test_divergence_names_its_place():
    """A run whose velocities are no numbers any more stops with the place where they were fastest."""
    x = np.linspace(0.0, 0.01, 7)
    case = simple_case(Grid((x, x, x)), AIR)
    case.openings = [
        side_opening(case, "x-", kind="velocity", speed=1.0, temperature=300.0),
        side_opening(case, "x+", kind="pressure", temperature=300.0),
    ]
    run = Steady(case, Settings(most=5))
    run.step()
    c = run.geo.flat(np.array([[3, 2, 1]]))[0]
    run.flow.u[0][c] = np.inf
    with np.errstate(all="ignore"), pytest.raises(SolveFailed, match="diverged") as failure:
        run.run()
    assert len(failure.value.place) == 3
    assert all(0.0 <= v <= 0.01 for v in failure.value.place)


def test_iterations_left():
    """Nothing is foretold from too little; a residual that falls evenly is foretold within a factor, better when the
    run is known."""
    path = 0.05 * 10 ** (-2.7 * np.linspace(0, 1, 90) ** 0.7)  # slower the farther it has come
    assert np.isnan(iterations_left(path[:5], 1e-4))
    for m in (30, 45, 60, 75):
        left = iterations_left(path[:m], 1e-4)
        assert 0.5 < left / (90 - m + CLOSING) < 2.0
        known = iterations_left(path[:m], 1e-4, 90)
        assert abs(known - (90 - m + CLOSING)) <= abs(left - (90 - m + CLOSING)) + 1
    assert iterations_left(path, 1e-4) == pytest.approx(CLOSING, abs=4)
    assert iterations_left(path / 1e4, 1e-4) == CLOSING


@pytest.mark.parametrize(
    ("seconds", "steady", "text"),
    [
        (float("nan"), True, ""),
        (3.0, True, "2 to 5 s left"),
        (30.0, True, "15 to 55 s left"),
        (80.0, True, "40 to 145 s left"),
        (600.0, True, "5 to 18 min left"),
        (0.2, True, "0 s left"),
        (30.0, False, "30 s left"),
        (3000.0, False, "50 min left"),
    ],
)
def test_what_is_said_of_the_time_left(seconds, steady, text):
    """A guess is told as a range, a known pace as a number, in words that fit a button."""
    assert told(seconds, steady) == text


def test_stale_kernels_are_forgotten(tmp_path):
    """What was compiled stays while the kernels' sources do, and goes, in every folder, when one of them changes."""
    compiled = tmp_path / "solve" / "__pycache__" / "ladder.nbc"
    compiled.parent.mkdir(parents=True)
    source = tmp_path / "kernels.py"
    (tmp_path / "plain.py").write_text("one = 1")
    for text, gone in (("@njit  # first", True), ("@njit  # first", False), ("@njit  # second", True)):
        source.write_text(text)
        compiled.write_bytes(b"machine code")
        assert forget_stale(tmp_path) is gone
        assert compiled.exists() is not gone
    (tmp_path / "plain.py").write_text("one = 2")
    assert not forget_stale(tmp_path)


@given(
    seed=st.integers(0, 10_000), cells=st.integers(40, 200), carried=st.floats(0.5, 3.0), most=st.sampled_from([2, 4])
)
@settings(deadline=None)
def test_few_iterations_are_never_for_nothing(seed, cells, carried, most):
    """However little is asked of it, and though its residual may rise at first, the solver of what a stream carries
    never ends farther off than it began, and gets on however often it is called anew."""
    draw = np.random.default_rng(seed)
    diffuses, carries = draw.uniform(0.1, 10.0, cells + 1), carried * draw.uniform(0.5, 1.5, cells + 1)
    own = diffuses[:-1] + diffuses[1:] + carries[:-1] + 1e-3
    b, x = draw.normal(size=cells), np.zeros(cells)

    def matvec(y, out):
        out[:] = own * y
        out[1:] -= (diffuses[1:-1] + carries[1:-1]) * y[:-1]
        out[:-1] -= diffuses[1:-1] * y[1:]

    left = [1.0]
    while left[-1] > 0.8 and len(left) < 300:
        left.append(krylov.bicgstab(matvec, lambda r: r / own, b, x, 0.1, 1e-9, most)[1])
    assert all(later <= before * (1.0 + 1e-9) for before, later in itertools.pairwise(left))
    assert left[-1] <= 0.8
