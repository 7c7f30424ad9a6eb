"""Solids and how they are made: ``makers`` (parametric sinks and enclosures), ``assembly`` (layout to model).

May import ``project`` and ``errors``. Start at :func:`stithy.shapes.assembly.resolve`.
"""
