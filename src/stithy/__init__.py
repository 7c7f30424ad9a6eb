"""Stithy: conjugate heat transfer for electronics enclosures, heat sinks and heat exchangers.

The engine in five lines::

    import stithy
    project = stithy.open("lamp-driver")
    result = project.solve("Fan on wall, plates")
    print(project.bands("Fan on wall, plates").temperature("Surge stage").text(zero=273.15))
    print(project.weigh())
"""

from __future__ import annotations

from . import kinds  # which registers every kind of row
from .api import Project, open_project
from .errors import StithyError

__version__ = "0.2.0"
__all__ = ["Project", "StithyError", "kinds", "open"]
open = open_project
