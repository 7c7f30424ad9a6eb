"""Files of triangles (STL, OBJ, 3MF, PLY) to bodies, split apart where they do not hold together."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import numpy as np

from ..errors import FileProblem
from ..project.assets import Body
from .names import unlike
from .weld import weld

UNITS = {"mm": 1e-3, "cm": 1e-2, "m": 1.0, "in": 0.0254}
#: radians between triangles of one face
SMOOTH = 0.35
#: pieces of one file that are taken for bodies
MOST_PIECES = 5000


def read_triangles(path: Path, unit: str, tell: Callable[[str, float], None]) -> list[Body]:
    """All bodies of a file of triangles whose numbers are in ``unit``, in m. Raises FileProblem."""
    import trimesh  # only the importer's process loads it

    tell("Reading the file", 0.1)
    try:
        scene = trimesh.load_scene(path)
        meshes = [(name, mesh) for name, mesh in _placed(scene) if len(getattr(mesh, "faces", ()))]
    except Exception as error:  # the library raises many kinds for a broken file
        raise FileProblem(f"{path}: cannot be read ({type(error).__name__}: {error}). Export it again.") from error
    if not meshes:
        raise FileProblem(f"{path}: holds no triangles. Export the surface of the solids.")
    taken: set[str] = set()
    out = []
    for m, (name, mesh) in enumerate(meshes):
        tell(f"Body {m + 1} of {len(meshes)}", 0.2 + 0.8 * m / len(meshes))
        mesh.merge_vertices()
        mesh = _without_crumbs(path, mesh, tell)
        for part in mesh.split(only_watertight=False, repair=False) if len(mesh.faces) < 2_000_000 else [mesh]:
            points, triangles, _ = weld(
                np.asarray(part.vertices) * UNITS[unit], np.asarray(part.faces), np.zeros(len(part.faces), int)
            )
            if len(triangles):
                out.append(
                    Body(
                        unlike(path.stem if name in ("", path.name) else name, taken),
                        (),
                        "",
                        points,
                        triangles,
                        _faces(points, triangles),
                    )
                )
    return out


def _without_crumbs(path: Path, mesh, tell: Callable[[str, float], None]):
    """The mesh without loose triangles, where it falls into more than :data:`MOST_PIECES` pieces. Raises FileProblem
    where it does so all the same."""
    from scipy.sparse import coo_matrix
    from scipy.sparse.csgraph import connected_components

    corners = np.asarray(mesh.faces)
    one, other = corners[:, [0, 1]].ravel(), corners[:, [1, 2]].ravel()
    n = len(mesh.vertices)
    label = connected_components(coo_matrix((np.ones(len(one), np.int8), (one, other)), (n, n)), directed=False)[1]
    of = label[corners[:, 0]]
    size = np.bincount(of)
    if (size > 0).sum() <= MOST_PIECES:
        return mesh
    loose = size[of] < 4
    pieces = int((size >= 4).sum())
    if not 0 < pieces <= MOST_PIECES:
        what = f"falls into {pieces} pieces" if pieces else f"holds {int(loose.sum())} loose triangles and no solid"
        raise FileProblem(f"{path}: {what}. Weld its corners, or export the surface of the solids again.")
    tell(f"{int(loose.sum())} loose triangles are left out", 0.2)
    mesh.update_faces(~loose)
    mesh.remove_unreferenced_vertices()
    return mesh


def _placed(scene):
    for node in scene.graph.nodes_geometry:
        move, name = scene.graph[node]
        mesh = scene.geometry[name].copy()
        mesh.apply_transform(move)
        yield (str(node) if not str(node).startswith("geometry") else ""), mesh


def _faces(points: np.ndarray, triangles: np.ndarray) -> np.ndarray:
    """A face for every triangle: those that run on smoothly into each other are one."""
    import trimesh
    from scipy.sparse import coo_matrix
    from scipy.sparse.csgraph import connected_components

    mesh = trimesh.Trimesh(points, triangles, process=False)
    smooth = mesh.face_adjacency[mesh.face_adjacency_angles < SMOOTH]
    n = len(triangles)
    graph = (
        coo_matrix((np.ones(len(smooth)), (smooth[:, 0], smooth[:, 1])), (n, n)) if len(smooth) else coo_matrix((n, n))
    )
    return connected_components(graph, directed=False)[1]
