"""The document: what the user said, with units and expressions, as frozen values.

``document`` the models, ``cells`` what each cell means, ``units`` and ``expressions`` reading of quantities,
``library`` materials, fluids and fans, ``resolve`` document + layout to SI numbers or a list of problems, ``edits``
undoable changes, ``files`` opening and saving. May import ``errors`` only. Start at
:class:`stithy.project.document.Document`.
"""
