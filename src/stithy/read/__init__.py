"""Reading a :class:`Solution`, and nothing else: any quantity, numbers with their bands, export.

May import ``solution``, ``mesh``, ``numerics``, ``project`` (files), ``errors``; never what solves. Start at
:class:`stithy.read.quantities.Quantities`.
"""
