"""The drivers: steady runs, runs in time, coarser grids first, the whole job, the process it runs in and its messages.

May import ``outcome`` and what is below. Start at :class:`stithy.solve.job.Job`.
"""
