"""Taking results elsewhere: a VTK rectilinear file of all fields, CSV tables."""
from __future__ import annotations

import csv
import io
from pathlib import Path

import numpy as np

from ..project.files import write_atomic
from ..solution.solution import Solution


def vtk(result: Solution, path: str | Path) -> Path:
    """All fields as a VTK XML rectilinear grid (.vtr): temperature K, pressure Pa, velocity m/s, part, kind."""
    path = Path(path)
    blocks, offset, heads = [], 0, []
    velocity = result.velocity()

    def order(a):
        return np.ascontiguousarray(np.moveaxis(a, (0, 1, 2), (2, 1, 0)) if a.ndim == 3 else a.transpose(2, 1, 0, 3))

    def block(name, array, kind, parts=1):
        nonlocal offset
        raw = np.ascontiguousarray(array).tobytes()
        heads.append(f'<DataArray type="{kind}" Name="{name}" NumberOfComponents="{parts}" format="appended" '
                     f'offset="{offset}"/>')
        blocks.append(np.uint64(len(raw)).tobytes() + raw)
        offset += 8 + len(raw)
        return heads[-1]

    cells = [block("temperature_K", order(result.temperature).astype("<f4"), "Float32"),
             block("pressure_Pa", order(result.pressure).astype("<f4"), "Float32"),
             block("velocity_m_per_s", order(velocity).astype("<f4"), "Float32", 3),
             block("part", order(result.part).astype("<i4"), "Int32"),
             block("kind", order(result.kind).astype("<u1"), "UInt8")]
    lines = [block(n, x.astype("<f8"), "Float64") for n, x in zip("xyz", result.grid.lines, strict=True)]
    extent = " ".join(f"0 {m}" for m in result.grid.shape)
    head = (f'<?xml version="1.0"?>\n<VTKFile type="RectilinearGrid" version="1.0" byte_order="LittleEndian" '
            f'header_type="UInt64">\n<RectilinearGrid WholeExtent="{extent}"><Piece Extent="{extent}">\n'
            f'<CellData>{"".join(cells)}</CellData>\n<Coordinates>{"".join(lines)}</Coordinates>\n'
            f'</Piece></RectilinearGrid>\n<AppendedData encoding="raw">_')
    write_atomic(path, head.encode() + b"".join(blocks) + b"\n</AppendedData></VTKFile>\n")
    return path


def tables(result: Solution, path: str | Path) -> Path:
    """Parts, openings, fans, walls and the balance as one CSV; temperatures in degC, heat in W, flows in m3/h and g/s."""
    s, out = result.summary, io.StringIO()
    w = csv.writer(out)
    w.writerow(["layout", s["layout"]])
    w.writerow(["part", "max degC", "mean degC", "heat load W", "hot spot x mm", "y mm", "z mm"])
    for name, p in s["parts"].items():
        w.writerow([name, f"{p['max'] - 273.15:.2f}", f"{p['mean'] - 273.15:.2f}", f"{p['power']:.4g}",
                    *(f"{x * 1e3:.2f}" for x in p["hot_spot"])])
    w.writerow([])
    w.writerow(["opening", "flow in m3/h", "mass in g/s", "heat out W", "temperature degC", "pressure inside Pa"])
    for name, e in s["ends"].items():
        w.writerow([name, f"{e['volume_flow'] * 3600:.4g}", f"{e['mass_flow'] * 1e3:.4g}", f"{e['heat_out']:.4g}",
                    f"{e['temperature'] - 273.15:.2f}", f"{e['pressure']:.4g}"])
    w.writerow([])
    w.writerow(["fan", "flow m3/h", "rise Pa", "air power W", "draw W"])
    for name, f in s["fans"].items():
        w.writerow([name, f"{f['volume_flow'] * 3600:.4g}", f"{f['rise']:.4g}", f"{f['air_power']:.4g}", f"{f['draw']:.4g}"])
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
