"""The numerical case (plain SI arrays, no names) and the terms of its equations.

``case`` is the one structure the solver sees, ``momentum`` and ``energy`` assemble the equations, ``mixing`` gives
the eddy viscosity. May import ``grid`` and ``errors``. Start at :class:`stithy.physics.case.Case`.
"""
