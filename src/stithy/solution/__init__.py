"""What a run gives: fields, flows through faces, walls, closures and the summary; and the store that keeps them by
content.

May import ``mesh``, ``numerics`` and ``errors``. Start at :class:`stithy.solution.store.Result`.
"""
