"""An answer before any solve: the cells of a very coarse grid as a network of resistances, films by correlation, flow
by resistance. It says how far it may be off.

May import what :mod:`stithy.equations` may, and that. Start at :func:`stithy.estimate.estimate.estimate`.
"""
