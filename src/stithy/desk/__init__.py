"""The window: the only place that knows Qt and the 3-D toolkit; it computes nothing of its own.

``session`` (what is open, observable, without Qt), ``window`` (the four places), ``ledger``, ``bench``, ``margins``,
``shelf``, ``charts``, ``look`` (palette, fonts, style), ``app`` (start). Start at :func:`stithy.desk.app.run`.
"""
