"""Taking results elsewhere: a VTK rectilinear file of all fields, CSV tables."""

from __future__ import annotations

import csv
import io
import re
from collections.abc import Collection, Sequence
from pathlib import Path
from typing import Any

import numpy as np

from ..errors import StithyError
from ..model.drawn import Line, Section
from ..model.quantities import CELLS, QUANTITIES
from ..project.files import write_atomic
from ..solution.solution import Solution
from . import shown
from .along import Along, along
from .heat_path import heat_path
from .values import Values
from .watches import Watched, watched


def vtk(result: Solution, path: str | Path, more: Sequence[str] = ()) -> Path:
    """All fields as a VTK XML rectilinear grid (.vtr): temperature K, pressure Pa, velocity m/s, part, kind, and the
    quantities of cells named in ``more`` ("all": every one there is), in SI. Raises FileProblem, StithyError."""
    # heavy, and only needed here
    from vtkmodules.util.numpy_support import numpy_to_vtk
    from vtkmodules.vtkCommonDataModel import vtkRectilinearGrid
    from vtkmodules.vtkIOXML import vtkXMLRectilinearGridWriter

    grid = vtkRectilinearGrid()
    grid.SetDimensions(*(len(x) for x in result.grid.lines))
    for put, lines in zip(
        (grid.SetXCoordinates, grid.SetYCoordinates, grid.SetZCoordinates), result.grid.lines, strict=True
    ):
        put(numpy_to_vtk(lines, deep=True))
    cells = {
        "temperature_K": result.temperature.astype("f4"),
        "pressure_Pa": result.pressure.astype("f4"),
        "velocity_m_per_s": result.velocity().astype("f4"),
        "part": result.part.astype("i4"),
        "kind": result.kind.astype("u1"),
    }
    read = Values(result)
    for name in [q.name for q in QUANTITIES.values() if q.place == CELLS] if "all" in more else more:
        try:
            cells[name.lstrip("= ").replace(" ", "_")] = read.of(name).astype("f4")
        except StithyError:
            if "all" not in more:
                raise
    for name, values in cells.items():  # x runs fastest there
        flat = np.ascontiguousarray(values.transpose(2, 1, 0, *range(3, values.ndim))).reshape(result.grid.cells, -1)
        array = numpy_to_vtk(flat[:, 0] if flat.shape[1] == 1 else flat, deep=True)
        array.SetName(name)
        grid.GetCellData().AddArray(array)
    return _binary(vtkXMLRectilinearGridWriter(), grid, path)


def surfaces(result: Solution, path: str | Path) -> Path:
    """All walls as VTK polygons (.vtp) with every quantity of walls, SI, and the number of the wall. Raises
    FileProblem."""
    from vtkmodules.util.numpy_support import numpy_to_vtk, numpy_to_vtkIdTypeArray
    from vtkmodules.vtkCommonCore import vtkPoints
    from vtkmodules.vtkCommonDataModel import vtkCellArray, vtkPolyData
    from vtkmodules.vtkIOXML import vtkXMLPolyDataWriter

    read = Values(result)
    corners = read.walls.corners()
    points, cells, mesh = vtkPoints(), vtkCellArray(), vtkPolyData()
    points.SetData(numpy_to_vtk(corners.reshape(-1, 3), deep=True))
    n = len(corners)
    quads = np.concatenate([np.full((n, 1), 4), np.arange(4 * n).reshape(-1, 4)], 1)
    cells.ImportLegacyFormat(numpy_to_vtkIdTypeArray(quads.ravel().astype(np.int64), deep=True))
    mesh.SetPoints(points)
    mesh.SetPolys(cells)
    number = {name: m for m, name in enumerate(dict.fromkeys(read.walls.names))}
    columns = {"wall": np.array([number[x] for x in read.walls.names], np.int32)}
    for q in (q for q in QUANTITIES.values() if q.place != CELLS):
        try:
            columns[q.word] = read.of(q.name).astype("f4")
        except StithyError:
            continue  # the result has not kept what it needs
    for name, values in columns.items():
        array = numpy_to_vtk(np.ascontiguousarray(values), deep=True)
        array.SetName(name)
        mesh.GetCellData().AddArray(array)
    return _binary(vtkXMLPolyDataWriter(), mesh, path)


def _binary(writer: Any, data: Any, path: str | Path) -> Path:
    """Write a data set of VTK whole, or not at all."""
    writer.SetInputData(data)
    writer.WriteToOutputStringOn()
    writer.SetDataModeToBinary()
    writer.Write()
    path = Path(path)
    write_atomic(path, writer.GetOutputString().encode("latin-1"))
    return path


def tables(result: Solution, path: str | Path) -> Path:
    """Parts, openings, fans, walls and the balance as one CSV; temperatures in degC, heat in W, flows in m3/h and
    g/s."""
    s, out = result.summary, io.StringIO()
    w = csv.writer(out)
    w.writerow(["layout", s["layout"]])
    w.writerow(["part", "max degC", "mean degC", "heat load W", "hot spot x mm", "y mm", "z mm"])
    for name, p in s["parts"].items():
        w.writerow(
            [
                name,
                f"{p['max'] - 273.15:.2f}",
                f"{p['mean'] - 273.15:.2f}",
                f"{p['power']:.4g}",
                *(f"{x * 1e3:.2f}" for x in p["hot_spot"]),
            ]
        )
    w.writerow([])
    w.writerow(["opening", "flow in m3/h", "mass in g/s", "heat out W", "temperature degC", "pressure inside Pa"])
    for name, e in s["ends"].items():
        w.writerow(
            [
                name,
                f"{e['volume_flow'] * 3600:.4g}",
                f"{e['mass_flow'] * 1e3:.4g}",
                f"{e['heat_out']:.4g}",
                f"{e['temperature'] - 273.15:.2f}",
                f"{e['pressure']:.4g}",
            ]
        )
    w.writerow([])
    w.writerow(["fan", "flow m3/h", "rise Pa", "air power W", "draw W"])
    for name, f in s["fans"].items():
        w.writerow(
            [name, f"{f['volume_flow'] * 3600:.4g}", f"{f['rise']:.4g}", f"{f['air_power']:.4g}", f"{f['draw']:.4g}"]
        )
    w.writerow([])
    w.writerow(["wall", "heat out W"])
    for name, q in s["walls"].items():
        w.writerow([name, f"{q:.4g}"])
    w.writerow([])
    w.writerow(["heat load W", f"{s['heat_load']:.6g}"])
    w.writerow(["heat imbalance W", f"{s['heat_imbalance']:.3g}"])
    path = Path(path)
    write_atomic(path, out.getvalue().encode())
    return path


def all_tables(result: Solution, rows: Sequence[Any] = ()) -> dict[str, tuple[list[str], list]]:
    """Every table of a result, each a head and rows: parts, openings, fans, outside, heat path, walls; and of drawn
    ``rows`` the watches and lines. In the units that results are shown in."""
    s, out = result.summary, {}
    t, w = shown.symbol("temperature"), shown.symbol("power")

    def degrees(x: float) -> float:
        return float(shown.convert(x, "temperature"))

    def watts(x: float) -> float:
        return float(shown.convert(x, "power"))

    out["Parts"] = (
        ["part", f"max {t}", f"mean {t}", f"heat load {w}", "hot spot x mm", "y mm", "z mm"],
        [
            [n, degrees(p["max"]), degrees(p["mean"]), watts(p["power"]), *(1e3 * x for x in p["hot_spot"])]
            for n, p in s["parts"].items()
        ],
    )
    out["Openings"] = (
        ["opening", "volume flow m3/h", "mass flow g/s", f"heat out {w}", f"temperature {t}", "pressure inside Pa"],
        [
            [
                n,
                3600 * e["volume_flow"],
                1e3 * e["mass_flow"],
                watts(e["heat_out"]),
                degrees(e["temperature"]),
                e["pressure"],
            ]
            for n, e in s["ends"].items()
        ],
    )
    out["Fans"] = (
        ["fan", "volume flow m3/h", "rise Pa", "air power W", "draw W"],
        [[n, f["volume_flow"] * 3600, f["rise"], f["air_power"], f["draw"]] for n, f in s["fans"].items()],
    )
    out["Outside"] = (["surface", "heat out W"], [[n, q] for n, q in s["walls"].items()])
    if s.get("heat_path"):
        path = heat_path(result)
        out["Heat path"] = (
            ["from", "to", "by", "heat W", "share", "K/W"],
            [[x.source, x.to, x.by, x.heat, x.share, x.resistance or ""] for x in path],
        )
    if s.get("radiation"):
        out["Radiation"] = (
            ["surface", "radiated W", "to gas W", "sunshine W", "rays +- W", "area m2", "at degC", "sees degC"],
            [
                [
                    n,
                    *(x[k] for k in ("net", "to_gas", "sun", "error", "area")),
                    degrees(x["temperature"]),
                    degrees(x["sees"]),
                ]
                for n, x in s["radiation"]["surfaces"].items()
            ],
        )
    found = watched(result, rows)
    if found:
        out["Watches"] = (["watch", "value", "band", "unit"], [_watch_row(x) for x in found])
    sections = [x for x in rows if isinstance(x, Section)]
    for line in (x for x in rows if isinstance(x, Line)):
        try:
            out[_new_name(line.name, out)] = _line_table(
                along(Values(result, line.paint.references), line, sections), line
            )
        except StithyError:
            continue
    return out


def _new_name(name: str, taken: Collection[str], most: int = 1000) -> str:
    """A name, or with a number behind it, of ``most`` characters, that differs from others by more than its case."""
    known, stem, number = {n.lower() for n in taken}, name[:most], 1
    while name[:most].lower() in known:
        number += 1
        name = f"{stem[: most - len(str(number)) - 1]} {number}"
    return name[:most]


def _watch_row(x: Watched) -> list:
    if x.banded is None:
        return [x.watch.name, x.fault, "", ""]
    value = float(shown.convert(x.banded.value, x.dimension))
    band = "" if x.banded.band is None else shown.span(x.banded.band, x.dimension)
    return [x.watch.name, value, band, shown.symbol(x.dimension)]


def _line_table(found: Along, line: Line) -> tuple[list[str], list]:
    heads = ["distance mm", "x mm", "y mm", "z mm"]
    columns = [1e3 * found.distance, *(1e3 * found.points.T)]
    for q in line.quantities:
        heads.append(f"{q.name} {shown.symbol(q.dimension)}".strip())
        columns.append(shown.convert(found.values[q.name], q.dimension))
    return heads, np.stack(columns, -1).tolist()


def sheet(path: str | Path, sheets: dict[str, tuple[list[str], list]]) -> Path:
    """Tables, each a head and rows under its name: as sheets of one .xlsx file, or as blocks of one .csv file."""
    path = Path(path)
    if path.suffix.lower() == ".xlsx":
        write_atomic(path, _workbook(sheets))
        return path
    out = io.StringIO()
    w = csv.writer(out)
    for name, (heads, rows) in sheets.items():
        if len(sheets) > 1:
            w.writerow([name])
        w.writerow(heads)
        w.writerows(rows)
        if len(sheets) > 1:
            w.writerow([])
    write_atomic(path, out.getvalue().encode())
    return path


def _workbook(sheets: dict[str, tuple[list[str], list]]) -> bytes:
    import xlsxwriter

    out = io.BytesIO()
    plain = {"strings_to_formulas": False, "strings_to_urls": False}
    book = xlsxwriter.Workbook(out, {"in_memory": True, "nan_inf_to_errors": True, **plain})
    head = book.add_format({"bold": True, "bottom": 1})
    pages: list[str] = ["History"]  # a name that is not free
    for name, (heads, rows) in sheets.items():
        pages.append(_new_name(re.sub(r"[\\/*?:\[\]']", " ", name).strip() or "Table", pages, 31))
        page = book.add_worksheet(pages[-1])
        page.write_row(0, 0, heads, head)
        for m, row in enumerate(rows, 1):
            page.write_row(m, 0, row)
        page.freeze_panes(1, 0)
        page.autofit()
    book.close()
    return out.getvalue()
