"""The rectilinear mesh: graded lines snapped to faces, which cell belongs to what, fluid spaces, crossings of curved
walls, surfaces.

May import ``model``, ``shapes``, ``project`` and ``errors``. Start at :func:`stithy.mesh.build.build`.
"""
