"""Judging layouts: ``limits`` (margins), ``compare`` (the table over all layouts).

May import everything of the core below. Start at :func:`stithy.weigh.compare.weigh`.
"""
