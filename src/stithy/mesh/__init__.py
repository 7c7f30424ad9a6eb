"""The rectilinear mesh: graded lines snapped to faces, which cell belongs to what, fluid spaces, crossings of curved
walls, surfaces, what repeats.

May import ``model``, ``shapes``, ``project`` and ``errors``. Start at :func:`stithy.mesh.build.build`.
"""
