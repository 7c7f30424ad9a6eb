"""Triangles made sound on the way in: corners welded, nothing without area, the outside out."""

from __future__ import annotations

import numpy as np


def weld(points: np.ndarray, triangles: np.ndarray, faces: np.ndarray, near: float = 1e-9):
    """One corner where several lie within ``near`` (m); triangles without area are left out. Turned inside out where
    its volume is negative."""
    at, of = np.unique(np.round(points / near).astype(np.int64), axis=0, return_inverse=True)
    triangles = of.ravel()[triangles]
    real = (
        (triangles[:, 0] != triangles[:, 1])
        & (triangles[:, 1] != triangles[:, 2])
        & (triangles[:, 2] != triangles[:, 0])
    )
    points, triangles, faces = at * near, triangles[real], faces[real]
    a, b, c = points[triangles].transpose(1, 0, 2)
    if float((a * np.cross(b, c)).sum()) < 0.0:
        triangles = triangles[:, ::-1]
    return points, triangles, faces
