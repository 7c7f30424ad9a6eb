"""What a run is turned into: temperatures on faces, the table of walls, tables of parts and openings, trust; in the end
a Solution.

May import ``equations``, ``solution``, ``setup``, ``mesh``, ``model``, ``errors``. Start at
:func:`stithy.outcome.extract.solution`.
"""
