"""The document: what the user said, with units and expressions, as frozen values.

``document`` rows and layouts, ``kind`` what a kind of row is and the register of all, ``references`` which cells name a
row, ``units``, ``expressions`` and ``row_cells`` reading of quantities, ``reader`` the cells of a layout to SI numbers
or a list of problems, ``library`` materials, fluids and fans, ``edits`` undoable changes, ``files`` opening and
saving, ``log``. May import ``errors`` only. Start at :class:`stithy.project.document.Document`.
"""
