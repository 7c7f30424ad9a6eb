"""Results: ``store`` (fields on disk), ``measure`` (part tables, sections, balances), ``export``.

May import ``physics``, ``grid``, ``shapes``, ``project``. Start at :class:`stithy.read.store.Result`.
"""
