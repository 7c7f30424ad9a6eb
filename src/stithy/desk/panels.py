"""What the shelf can show, by stage: panels are registered here, and the window builds what it finds."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from PyQt6.QtWidgets import QWidget

from .balance import BalanceSheet
from .bath_panel import BathPanel
from .chart_page import ChartPage
from .charts import Charts
from .comparison import Comparison
from .findings_page import FindingsPage
from .grid_study_page import GridStudyPage
from .heat_path_panel import HeatPathPanel
from .helps_page import HelpsPage
from .in_time import InTime
from .library_page import LibraryPage
from .line_plots import LinePlots
from .parameters_panel import ParametersPanel
from .queue_page import QueuePage
from .run_log import RunLog
from .session import Session
from .solids_panel import SolidsPanel
from .studies_page import StudiesPage
from .what_if_panel import WhatIf


@dataclass(frozen=True)
class Panel:
    """One page of the shelf: the ``stage`` it belongs to, the ``title`` of its tab, how it is made from the session and
    a function that puts a layout beside the shown one; ``first``: it is shown when the stage is entered."""

    stage: str
    title: str
    make: Callable[[Session, Callable[[str], None]], QWidget]
    first: bool = False


PANELS = (
    Panel("Shape", "Solids and fluids", SolidsPanel),
    Panel("Shape", "Parameters", ParametersPanel),
    Panel("Load", "Library", LibraryPage),
    Panel("Grid", "Findings", FindingsPage),
    Panel("Run", "Charts", lambda session, _: Charts(session), True),
    Panel("Run", "Queue", lambda session, _: QueuePage(session)),
    Panel("Run", "Log", lambda session, _: RunLog(session)),
    Panel("Read", "Lines", LinePlots),
    Panel("Read", "In time", lambda session, _: InTime(session)),
    Panel("Read", "Heat path", HeatPathPanel),
    Panel("Read", "Bath", lambda session, _: BathPanel(session)),
    Panel("Read", "What if", WhatIf),
    Panel("Read", "Balance sheet", lambda session, _: BalanceSheet(session)),
    Panel("Weigh", "Comparison", Comparison, True),
    Panel("Weigh", "Chart", ChartPage),
    Panel("Weigh", "Studies", StudiesPage),
    Panel("Weigh", "Grid study", GridStudyPage),
    Panel("Weigh", "What would help", HelpsPage),
)
