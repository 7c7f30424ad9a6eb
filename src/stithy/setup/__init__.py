"""From a model and its mesh to the numerical case: plain SI arrays, nothing by name.

``case`` is the one structure the equations see; ``prepare`` makes it, one concern a file. May import ``mesh``,
``model``, ``shapes``, ``project``, ``errors``. Start at :func:`stithy.setup.prepare.prepare`.
"""
