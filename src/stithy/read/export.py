"""Taking results elsewhere: a VTK rectilinear file of all fields, CSV tables."""

from __future__ import annotations

import csv
import io
import re
from pathlib import Path

import numpy as np

from ..project.files import write_atomic
from ..solution.solution import Solution


def vtk(result: Solution, path: str | Path) -> Path:
    """All fields as a VTK XML rectilinear grid (.vtr): temperature K, pressure Pa, velocity m/s, part, kind. Raises
    FileProblem."""
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
    for name, values in cells.items():  # x runs fastest there
        flat = np.ascontiguousarray(values.transpose(2, 1, 0, *range(3, values.ndim))).reshape(result.grid.cells, -1)
        array = numpy_to_vtk(flat[:, 0] if flat.shape[1] == 1 else flat, deep=True)
        array.SetName(name)
        grid.GetCellData().AddArray(array)
    writer = vtkXMLRectilinearGridWriter()
    writer.SetInputData(grid)
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
    book = xlsxwriter.Workbook(out, {"in_memory": True, "nan_inf_to_errors": True})
    head = book.add_format({"bold": True, "bottom": 1})
    for name, (heads, rows) in sheets.items():
        page = book.add_worksheet(re.sub(r"[\\/*?:\[\]']", " ", name)[:31])
        page.write_row(0, 0, heads, head)
        for m, row in enumerate(rows, 1):
            page.write_row(m, 0, row)
        page.freeze_panes(1, 0)
        page.autofit()
    book.close()
    return out.getvalue()
