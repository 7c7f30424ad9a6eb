"""The rectilinear grid: lines, which cell belongs to what, and the fluid spaces between the solids.

Holds ``lines`` (graded lines snapped to faces), ``occupancy`` (cells to parts), ``spaces`` (connected fluid).
May import ``errors`` only; it works on plain boxes and arrays. Start at :func:`stithy.grid.lines.axis_lines`.
"""
