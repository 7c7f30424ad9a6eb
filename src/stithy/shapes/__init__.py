"""Geometry without names: boxes, rounds, outlines, tubes, triangles; volumes, areas, distances; parametric makers.

May import ``errors`` only. Start at :mod:`stithy.shapes.geometry`.
"""
