"""Curved and oblique shapes: distances, what they take of the grid, where they cross it, refusals."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from stithy import kinds as d
from stithy.equations.walls import gap, wall_distance
from stithy.errors import SetupError
from stithy.kinds.assembly import resolve
from stithy.mesh.build import build
from stithy.mesh.crossings import crossings, paint_form
from stithy.mesh.lines import Grid
from stithy.mesh.occupancy import fluid_spaces
from stithy.outcome.trust import thinnest_gap
from stithy.setup.prepare import prepare
from stithy.shapes.facets import fault
from stithy.shapes.geometry import Facets, Outline, Path, Round
from stithy.shapes.solids import distance, fits, length, pieces, surface_area, surfaces, volume
from verification.configurations import array
from verification.projects import PLAIN, project, solve

LINES = np.linspace(0, 0.1, 51)
GRID = Grid((LINES, LINES, LINES))
place = st.floats(0.02, 0.08)
forms = st.one_of(
    st.builds(
        lambda a, p, q, r, b: Round(a, (p, q), (0.0, 0.1), r, b * r),
        st.integers(0, 2),
        place,
        place,
        st.floats(0.012, 0.02),
        st.sampled_from([0.0, 0.6]),
    ),
    st.builds(
        lambda a, p, q, s, t: Outline(
            a, tuple((p + s * np.cos(t + m * 2.1), q + s * np.sin(t + m * 2.1)) for m in range(3)), (0.0, 0.1)
        ),
        st.integers(0, 2),
        st.floats(0.04, 0.06),
        st.floats(0.04, 0.06),
        st.floats(0.01, 0.03),
        st.floats(0, 6),
    ),
    st.builds(
        lambda y, r, bend: Path(
            ((0.0, y, 0.05), (0.07, y, 0.05), (0.07, y + 0.05, 0.05), (0.0, y + 0.05, 0.03)), bend, r
        ),
        st.floats(0.02, 0.03),
        st.floats(0.005, 0.009),
        st.floats(0.01, 0.02),
    ),
)


@given(forms)
@settings(max_examples=40, deadline=None)
def test_crossings_lie_on_the_surface(form):
    """Every crossing lies on a surface, between a centre inside and one outside; tilts are normals; the painted volume
    is about right."""
    found = crossings(GRID, [form])
    owner = np.zeros(GRID.shape, int)
    paint_form(GRID, owner, form, 1, 0)
    bore = getattr(form, "bore", 0.0)
    whole = volume(form) * (1 - (bore / form.radius) ** 2 if bore else 1.0)
    assert (owner == 1).sum() * 8e-9 == pytest.approx(whole, rel=0.2)
    for a in range(3):
        at = np.argwhere(np.isfinite(found.share[a]))
        x = [GRID.centres[t][at[:, t]] for t in range(3)]
        x[a] = x[a] + found.share[a][tuple(at.T)] * 0.002
        if len(at):
            off = np.min([np.abs(distance(form, s, x)) for s in surfaces(form)], axis=0)
            assert off.max() < 1e-8 or (isinstance(form, Path) and np.median(off) < 1e-8)  # a square end jumps
        assert found.tilt[a].max() <= 1
        assert found.tilt[a].min() >= 0


def _ball(radius: float, middle=(0.05, 0.05, 0.05), rounds: int = 4) -> Facets:
    """A ball of triangles: an octahedron, each triangle parted in four and its corners pushed outward."""
    points = [np.array(p, float) for p in ((1, 0, 0), (-1, 0, 0), (0, 1, 0), (0, -1, 0), (0, 0, 1), (0, 0, -1))]
    triangles = [(0, 2, 4), (2, 1, 4), (1, 3, 4), (3, 0, 4), (2, 0, 5), (1, 2, 5), (3, 1, 5), (0, 3, 5)]
    for _ in range(rounds):
        known, parts = {}, []

        def half(a, b, known=known):
            key = (min(a, b), max(a, b))
            if key not in known:
                known[key] = len(points)
                middle = points[a] + points[b]
                points.append(middle / np.linalg.norm(middle))
            return known[key]

        for a, b, c in triangles:
            x, y, z = half(a, b), half(b, c), half(c, a)
            parts += [(a, x, z), (x, b, y), (z, y, c), (x, y, z)]
        triangles = parts
    return Facets(tuple(tuple(radius * p + middle) for p in points), tuple(triangles))


@given(st.floats(0.015, 0.03), st.tuples(place, place, place))
@settings(max_examples=8, deadline=None)
def test_triangles_bound_what_they_enclose(radius, middle):
    """A ball of triangles takes the cells of a ball, is crossed where a ball is, and its volume and area are nearly a
    ball's."""
    middle = tuple(
        np.clip(middle, 0.035, 0.065) + 1.37e-5
    )  # no corner just at a cell's centre, which may count as either side
    form = _ball(radius, middle)
    owner = np.zeros(GRID.shape, int)
    paint_form(GRID, owner, form, 1)
    assert volume(form) == pytest.approx(4 / 3 * np.pi * radius**3, rel=0.01)
    assert surface_area(form) == pytest.approx(4 * np.pi * radius**2, rel=0.02)
    assert (owner == 1).sum() * 8e-9 == pytest.approx(volume(form), rel=0.03)
    found = crossings(GRID, [form])
    for a in range(3):
        flips = np.diff(owner, axis=a) != 0
        share = np.moveaxis(found.share[a], a, 0)[:-1]
        assert np.array_equal(np.isfinite(share), np.moveaxis(flips, a, 0))
        at = np.argwhere(np.isfinite(found.share[a]))
        x = np.stack([GRID.centres[t][at[:, t]] for t in range(3)], -1)
        x[:, a] += found.share[a][tuple(at.T)] * 0.002
        off = np.linalg.norm(x - middle, axis=1)
        assert np.abs(off / radius - 1).max() < 0.004
        assert found.tilt[a][tuple(at.T)] == pytest.approx(np.abs(x - middle)[:, a] / off, abs=0.09)


def test_triangles_of_a_prism_are_an_outline():
    """A prism of triangles is crossed where the outline drawn out is, whichever way its triangles run."""
    corners = ((0.02, 0.021), (0.071, 0.03), (0.04, 0.083))
    outline = Outline(2, corners, (0.0, 0.1))
    points = tuple((*c, z) for z in (-0.001, 0.101) for c in corners)
    sides = [(a, (a + 1) % 3, (a + 1) % 3 + 3) for a in range(3)] + [(a, (a + 1) % 3 + 3, a + 3) for a in range(3)]
    for turn in (1, -1):
        prism = Facets(points, tuple(t[::turn] for t in ((0, 2, 1), (3, 4, 5), *sides)))
        assert not fault(points, prism.triangles)
        one, two = crossings(GRID, [outline]), crossings(GRID, [prism])
        for a in range(3):
            np.testing.assert_allclose(two.share[a], one.share[a], rtol=0.0, atol=1e-9)
            np.testing.assert_allclose(two.tilt[a], one.tilt[a], rtol=0.0, atol=1e-4)
        assert volume(prism) == pytest.approx(volume(outline) * 1.02)


def test_triangulated_rows_take_power_and_grid():
    """A row of triangles becomes a solid with its load by volume, lines at its flat faces, and is refused where
    triangles leave a gap."""
    row = d.Triangulated(name="Wedge", power="1e6 W/m3", cells="6")
    case = d.Enclosure(name="Case", size="60, 50, 40 mm", wall="0 mm")
    model = resolve(project(case, row), "First layout")
    wedge = next(s for s in model.solids if s.name == "Wedge")
    assert wedge.power == pytest.approx(1e6 * 0.02**3 / 6)
    built = prepare(model)
    assert built.case.heat.sum() == pytest.approx(wedge.power)
    taken = built.case.part == built.parts.index("Wedge")
    assert (built.case.grid.volumes() * taken).sum() == pytest.approx(0.02**3 / 6, rel=0.15)


@given(st.floats(0.01, 0.02), st.floats(0.003, 0.01))
@settings(max_examples=20, deadline=None)
def test_centre_lines_are_smooth(bend, radius):
    """Pieces of a bent tube follow each other without a gap, and their length is that of the corners cut off."""
    form = Path(((0, 0, 0), (0.05, 0, 0), (0.05, 0.05, 0), (0.05, 0.05, 0.05)), bend, radius)
    assert fits(form)
    ends = [(p[1], p[2]) if p[0] == "straight" else (p[2], p[3]) for p in pieces(form)]
    assert all(np.allclose(a[1], b[0]) for a, b in zip(ends, ends[1:], strict=False))
    assert length(form) == pytest.approx(0.15 - 4 * bend + np.pi * bend)
    assert not fits(Path(form.points, 0.03, radius))


def test_a_bent_passage_is_one_space():
    """A passage through a plate holds together round its bends, has its volume, and only its two ends are open."""
    doc = project(
        PLAIN,
        d.Enclosure(name="Case", size="60, 50, 12 mm", wall="0 mm", fluid="plain", outside="adiabatic"),
        d.Block(name="Plate", size="60, 50, 12 mm"),
        d.Tube(
            name="Passage",
            points="0, 10, 6; 45, 10, 6; 45, 40, 6; 0, 40, 6 mm",
            bend="12 mm",
            diameter="8 mm",
            material="fluid",
            cells="10",
        ),
    )
    model = resolve(doc, "First layout")
    built = build(model)
    fluid = built.kind == 0
    assert fluid_spaces(built.kind)[1] == 1
    assert (built.grid.volumes() * fluid).sum() == pytest.approx(volume(model.passages[0].form), rel=0.03)
    assert fluid[0].any()
    assert not fluid[-1].any()
    assert not fluid[:, 0].any()
    assert not fluid[:, :, 0].any()


@pytest.mark.parametrize(
    ("row", "cell", "word"),
    [
        (d.OutlineRow(name="A", points="0, 0; 20, 20; 20, 0; 0, 20 mm"), "corners", "no area"),
        (d.OutlineRow(name="A", points="0, 0; 20, 20 mm"), "corners", "no area"),
        (d.OutlineRow(name="A", points="0, 0; 20 W, 20; 3, 4 mm"), "corners", ""),
        (d.Tube(name="A", points="0, 5, 5; 10, 5, 5; 10, 30, 5 mm", bend="20 mm"), "bend radius", "straight"),
        (d.Tube(name="A", bend="1 mm"), "bend radius", "half the diameter"),
        (d.Tube(name="A", bore="7 mm"), "bore", "as wide"),
        (d.Triangulated(name="A", triangles="1, 3, 2; 1, 2, 4; 2, 3, 4"), "triangles", "fewer than four"),
        (d.Triangulated(name="A", triangles="1, 3, 2; 1, 2, 4; 2, 3, 4; 1, 3, 4"), "triangles", "the same way"),
        (d.Triangulated(name="A", triangles="1, 3, 2; 1, 2, 4; 2, 3, 4; 1, 4, 9"), "triangles", "corner 9"),
        (d.Triangulated(name="A", triangles="1, 3, 2; 1, 2, x; 2, 3, 4; 1, 4, 3"), "triangles", "whole numbers"),
        (d.Triangulated(name="A", points="0, 0, 0; 1, 0, 0; 0, 1 mm"), "corners", ""),
        (d.MaterialRow(name="A", conductivity="20 degC: 5 W/m/K; 10 degC: 4 W/m/K"), "conductivity", "rise"),
    ],
)
def test_bad_shapes_are_refused(row, cell, word):
    """What cannot be a shape is refused with its row and cell."""
    used = [d.Block(name="B", at="30, 30, 30 mm", size="5, 5, 5 mm", material="A")] if row.kind == "material" else []
    with pytest.raises(SetupError) as error:
        resolve(project(d.Enclosure(name="Case", size="60, 50, 40 mm"), row, *used), "First layout")
    found = error.value.problems[0]
    assert (found.row, found.cell) == ("A", cell)
    assert word in str(found)


def _channel(pitch: float, half: bool = False):
    sides = f"x-: periodic; x+: periodic; z-: symmetry; z+: symmetry{'; y+: symmetry' if half else ''}"
    doc = project(
        PLAIN,
        d.Enclosure(
            name="Duct",
            size=f"{pitch}, {5 if half else 10}, 5 mm",
            wall="0 mm",
            fluid="plain",
            outside="adiabatic",
            sides=sides,
        ),
        d.Block(name="Bump", at="0, 0, 0 mm", size=f"{pitch / 4}, 1, 5 mm"),
        d.DriveRow(name="Drive"),
        grid={"coarsest": "0.5 mm", "across_gaps": "10"},
    )
    return prepare(resolve(doc, "First layout")).case


def test_walls_are_seen_across_periodic_and_symmetry_sides():
    """Distances do not end at periodic sides; the gap is that between walls, doubled by a mirror."""
    case = _channel(4.0)
    y = case.grid.centres[1]
    clear = wall_distance(case)[-1, :, 0]
    assert clear[y > 0.006] == pytest.approx(0.01 - y[y > 0.006], rel=1e-6)
    assert clear[0] == pytest.approx(y[0], rel=1e-6)
    assert gap(case)[-1, -1, 0] == pytest.approx(0.01)
    assert gap(case)[0, -1, 0] == pytest.approx(0.009)
    assert gap(_channel(4.0, half=True))[-1, -1, 0] == pytest.approx(0.01)
    thin = _channel(4.0)  # a slice of any depth between two mirrors has the channel's gap, not the slice's
    thin.symmetry = frozenset({"z-", "z+"})
    assert gap(thin)[-1, -1, 0] == pytest.approx(0.01)


def test_thinnest_gap():
    """The narrowest passage between walls and its cells; mirrors and periodic sides bound none."""
    width, cells = thinnest_gap(_channel(4.0))
    assert width == pytest.approx(0.009)
    assert cells >= 10
    assert thinnest_gap(_channel(4.0, half=True)) is None


def test_results_stay_current_when_the_program_learns_more():
    """A model's key tells values apart, and names only what differs from the default."""
    one = project(d.Enclosure(name="Case"), d.Block(name="B", at="5, 5, 5 mm"))
    other = project(d.Enclosure(name="Case"), d.Block(name="B", at="5, 5, 5 mm", starts="40 degC"))
    keys = [resolve(x, "First layout").key() for x in (one, other, one)]
    assert keys[0] == keys[2] != keys[1]


def test_a_bore_cuts_what_would_close_it():
    """A long bore passes a short block that is smaller than it; a baffle that leaves a window, and a rod within it,
    stay."""
    doc = project(
        PLAIN,
        d.Enclosure(name="Case", size="200, 14, 14 mm", wall="0 mm", fluid="plain", outside="adiabatic"),
        d.Block(name="First", size="10, 14, 14 mm"),
        d.Block(name="Rest", at="10, 0, 0 mm", size="190, 14, 14 mm"),
        d.Bore(name="Bore", at="0, 7, 7 mm", length="200 mm", diameter="10 mm"),
        d.Block(name="Baffle", at="100, 0, 0 mm", size="2, 14, 7 mm"),
        d.Cylinder(name="Rod", at="150, 7, 7 mm", length="20 mm", diameter="4 mm"),
        d.Opening(name="In", on="Case", side="x-", at="2, 2 mm", size="10, 10 mm", flow="1 m/s"),
        d.Opening(name="Out", on="Case", side="x+", at="2, 2 mm", size="10, 10 mm", flow="0 Pa"),
    )
    p = prepare(resolve(doc, "First layout"))

    def what(x, y, z):
        m = p.case.part[p.case.grid.find((x / 1e3, y / 1e3, z / 1e3))]
        return p.parts[m] if m >= 0 else "fluid"

    assert [what(5, 7, 7), what(5, 1, 1), what(50, 7, 7)] == ["fluid", "First", "fluid"]
    assert [what(101, 7, 5), what(101, 7, 9), what(160, 7, 7)] == ["Baffle", "fluid", "Rod"]


@given(st.permutations(range(4)))
@settings(max_examples=24, deadline=None)
def test_the_highest_order_is_there(orders):
    """Of blocks and a bar that overlap in part, each place belongs to the one of the highest order; with equal orders
    two such blocks are refused, and a cell left empty changes no key."""
    rows = (
        d.Block(name="A", at="10, 10, 10 mm", size="30, 20, 20 mm"),
        d.Block(name="B", at="20, 20, 10 mm", size="20, 30, 20 mm"),
        d.Block(name="C", at="14, 14, 14 mm", size="40, 12, 30 mm"),
        d.Cylinder(name="Bar", at="30, 25, 4 mm", along="z", length="40 mm", diameter="20 mm"),
    )
    ranked = [r.model_copy(update={"order": str(m)}) for r, m in zip(rows, orders, strict=True)]
    case = d.Enclosure(name="Case", size="60, 60, 50 mm", wall="0 mm")
    built = build(resolve(project(case, *ranked), "First layout"))
    boxes = {
        "A": ((10, 40), (10, 30), (10, 30)),
        "B": ((20, 40), (20, 50), (10, 30)),
        "C": ((14, 54), (14, 26), (14, 44)),
    }
    x, y, z = (1e3 * c for c in np.meshgrid(*built.grid.centres, indexing="ij"))
    inside = {
        n: np.all([(lo < q) & (q < hi) for q, (lo, hi) in zip((x, y, z), b, strict=True)], 0) for n, b in boxes.items()
    }
    inside["Bar"] = ((x - 30) ** 2 + (y - 25) ** 2 < 100) & (z > 4) & (z < 44)
    sure = np.abs(np.hypot(x - 30, y - 25) - 10) > 1.0  # a cell that the bar cuts goes by its middle of mass
    for name, rank in sorted(zip(inside, orders, strict=True), key=lambda p: p[1]):
        higher = np.any([inside[n] for n, o in zip(inside, orders, strict=True) if o > rank] or [sure & False], 0)
        assert (built.owner == built.parts.index(name))[inside[name] & ~higher & sure].all(), name
    with pytest.raises(SetupError, match="higher order"):
        resolve(project(case, *rows), "First layout")


def test_shapes_are_cut_by_the_models_edge():
    """A bar in the middle of a periodic pitch, and its two halves at the pitch's ends, need the same pressure
    gradient."""
    whole = array(0.2, 12)
    halves = [
        r.model_copy(update={"name": f"Bar {x}", "at": f"{x}, 0, 10 mm"})
        for r in whole.rows
        if r.name == "Bar"
        for x in (0, 20)
    ]
    cut = whole.model_copy(update={"rows": (*(r for r in whole.rows if r.name != "Bar"), *halves)})
    one, two = (solve(x)[1].drive()["pressure_gradient"] for x in (whole, cut))
    assert two == pytest.approx(one, rel=0.01)
