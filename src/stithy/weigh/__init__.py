"""Judging layouts: ``limits`` (margins and verdicts), ``compare`` (how a layout stands, and all of them), ``table``.

May import everything of the core below. Start at :func:`stithy.weigh.compare.weigh`.
"""
