"""The window: the only place that knows Qt and the 3-D toolkit; it computes nothing of its own.

``session`` (what is open, observable, without Qt), ``window`` (the four places; what can be done: ``window_actions``),
``ledger`` (``ledger_models``, ``ledger_sheet``; the menu of rows: ``row_menu``), ``bench`` (what it draws:
``view_items``; hands on it: ``dragging`` and what follows from it, ``picking``, ``measuring``, ``work_bar``),
``margins``, ``shelf`` (its pages: ``panels``), ``look`` (palette, fonts, style), ``app`` (start). May import all
below. Start at :func:`stithy.desk.app.run`.
"""
