"""The solver against published and closed-form numbers. Bounds are those agreed for the grids named in the gallery."""
from __future__ import annotations

import numpy as np
import pytest

from . import gallery


def within(rows, bound):
    for row in rows:
        assert abs(row.error) < bound, f"{row.case}, {row.quantity}: {row.ours:.6g} against {row.reference:.6g}"


def test_lid_driven_cavity():
    """Re 100 on 64 x 64 within 1 %, and second order: errors fall at least 3.2 times from 32 to 64."""
    coarse, fine = gallery.lid_driven(32), gallery.lid_driven(64)
    within(fine, 0.01)
    order = np.log2(np.mean([abs(r.error) for r in coarse]) / np.mean([abs(r.error) for r in fine]))
    assert order > 1.7, f"observed order {order:.2f}"


def test_heated_cavity():
    """Ra 1e5 on 80 x 80 graded within 1 %."""
    within(gallery.heated_cavity(80, 1e5), 0.01)


def test_square_duct():
    """Friction and Nusselt number within 1 % at 20 cells across."""
    within(gallery.square_duct(20), 0.01)


def test_composite_slab():
    """Layers in series: exact but for round-off, whatever the jump of conductivity."""
    within(gallery.composite_slab(), 1e-6)


def test_fan_on_duct():
    """Operating point within 0.5 %."""
    within(gallery.fan_on_duct(), 0.005)


def test_perforated_plate():
    """K rho v^2 / 2 within 0.5 %."""
    within(gallery.plate_in_duct(), 0.005)


@pytest.mark.verify
def test_long_cases():
    """Re 1000 within 2 %; cavities Ra 1e3, 1e4, 1e6 within 1 %; cube Ra 1e5 within 1.5 %."""
    within(gallery.lid_driven(128, 1000.0), 0.02)
    for ra in (1e3, 1e4, 1e6):
        within(gallery.heated_cavity(80, ra), 0.01)
    within(gallery.heated_cube(48, 1e5), 0.015)
