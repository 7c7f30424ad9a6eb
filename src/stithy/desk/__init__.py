"""The window: the only place that knows Qt and the 3-D toolkit; it computes nothing of its own.

``session`` (what is open, observable, without Qt), ``window`` (the four places), ``ledger``, ``bench`` (what it draws:
``view_items``, how: ``view_settings``), ``margins``, ``shelf`` (its pages: ``panels``), ``look`` (palette, fonts,
style), ``app`` (start). May import all below. Start at :func:`stithy.desk.app.run`.
"""
