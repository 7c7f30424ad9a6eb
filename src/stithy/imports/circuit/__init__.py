"""Files of circuit boards taken in: outline, placement, plotted copper, drilled holes; copper as conductivity.

Start at :func:`stithy.imports.circuit.read.read_board`.
"""
