"""One file for every kind of row: its cells, how it is read into the model, where it is put when added.

A new kind is a file here and its line below, in the order of the ledger; file schema, ledger, manual page, checks,
renaming, deleting and completion are derived from what it registers. ``assembly`` reads all rows of a layout,
``checks`` finds what cannot stand together, ``sense`` what is probably a slip; ``moving`` and ``arranging`` are edits
of where rows stand. May import ``model``, ``shapes``, ``project`` and ``errors``. Start at
:func:`stithy.kinds.assembly.resolve`.
"""

# ruff: noqa: I001 - the order is that of the ledger
from ..project.document import Document, Layout
from ..project.kind import Row
from .enclosure import Enclosure
from .fluid_region import FluidRegion
from .piece import PieceRow
from .board import Board
from .component import Component
from .plate_fin_sink import PlateFinSink
from .pin_fin_sink import PinFinSink
from .flared_sink import FlaredSink
from .folded_sink import FoldedSink
from .slotted_sink import SlottedSink
from .channel_plate import ChannelPlate
from .tube_bank import TubeBank
from .shell import Shell, TubeBundle
from .ribs import Ribs
from .block import Block
from .cylinder import Cylinder
from .outline import OutlineRow
from .tube import Tube
from .coil import Coil
from .perforated_plate import PerforatedPlate
from .duct import Duct
from .partition import Partition
from .potting import Potting
from .triangulated import Triangulated
from .bore import Bore
from .body import BodyRow
from .face_group import FaceGroup
from .contact import Contact
from .blanking_plate import BlankingPlate
from .opening import Opening
from .vent import Vent
from .wall_fan import WallFan
from .inside_fan import InsideFan
from .pump import Pump
from .screen import Screen
from .blower import BlowerRow
from .porous_block import PorousBlockRow
from .drive import DriveRow
from .wall_patch import WallPatch
from .fluid import FluidRow
from .material import MaterialRow
from .finish import FinishRow
from .parameter import Parameter
from .surroundings import Surroundings
from .sun import SunRow
from .wish import Wish
from .grid import GridRow
from .accepted import Accepted
from .section import Section
from .surface import Surface
from .isosurface import Isosurface
from .vectors import Vectors
from .streamlines import Streamlines
from .line import LineRow
from .flag import Flag
from .watch import WatchRow
from .view import View
from .run import RunRow
from .event import EventRow
from .sweep import SweepRow
from .search import SearchRow
from .group import Group

__all__ = [
    "Accepted",
    "BlankingPlate",
    "Block",
    "Board",
    "BodyRow",
    "Bore",
    "ChannelPlate",
    "Coil",
    "Component",
    "Contact",
    "Cylinder",
    "Document",
    "DriveRow",
    "Duct",
    "Enclosure",
    "FaceGroup",
    "FinishRow",
    "Flag",
    "FlaredSink",
    "FluidRegion",
    "FluidRow",
    "FoldedSink",
    "GridRow",
    "Group",
    "InsideFan",
    "Isosurface",
    "Layout",
    "LineRow",
    "MaterialRow",
    "Opening",
    "OutlineRow",
    "Parameter",
    "Partition",
    "PerforatedPlate",
    "PieceRow",
    "PinFinSink",
    "PlateFinSink",
    "BlowerRow",
    "PorousBlockRow",
    "Potting",
    "Pump",
    "Ribs",
    "Row",
    "RunRow",
    "EventRow",
    "SweepRow",
    "SearchRow",
    "Wish",
    "Screen",
    "Section",
    "Shell",
    "SlottedSink",
    "Streamlines",
    "SunRow",
    "Surface",
    "Surroundings",
    "Triangulated",
    "Tube",
    "TubeBank",
    "TubeBundle",
    "Vectors",
    "Vent",
    "View",
    "WallFan",
    "WallPatch",
    "WatchRow",
]
