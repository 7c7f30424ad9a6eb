"""Files of solids taken in: STEP by the geometry kernel, triangles by trimesh, in a process of their own; what is wrong
with them.

May import ``kinds``, ``shapes``, ``project`` and ``errors``. Start at :func:`stithy.imports.job.take_in`.
"""
