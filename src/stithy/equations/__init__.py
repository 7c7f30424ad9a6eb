"""The discretised equations of one numerical case: momentum, pressure, energy, transported scalars, turbulence,
devices.

May import ``setup`` (its :class:`Case`), ``mesh``, ``numerics`` and ``errors``. Start at
:class:`stithy.equations.flow.Flow` and :class:`stithy.equations.heat.Heat`.
"""
