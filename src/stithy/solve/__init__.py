"""The solver: multigrid, the steady driver, watches, the worker process and its messages.

May import ``physics``, ``grid``, ``read`` and what is below. Start at :class:`stithy.solve.steady.Steady`.
"""
