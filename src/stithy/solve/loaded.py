"""All that a run needs, loaded when this module is: for the server of :mod:`processes`.

The kernels run once on a few cells, too few for a second thread, which would not survive a fork.
"""

from __future__ import annotations

from ..kinds.enclosure import Enclosure
from ..project.document import Document
from . import worker
from .compile import warm
from .job import Job

__all__ = ["worker"]

warm()
Job(Document(rows=(Enclosure(name="Box", size="40, 40, 40 mm", outside="1 W/m2/K"),)), "First layout", banded=False)
