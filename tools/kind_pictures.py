"""Small drawings of all kinds of rows that have a shape, in src/stithy/data/kinds (python tools/kind_pictures.py)."""

from __future__ import annotations

import sys
from pathlib import Path

import numpy as np
import pyvista as pv
from PIL import Image

ROOT = Path(__file__).parent.parent
sys.path.insert(0, str(ROOT))

from stithy import kinds as d  # noqa: E402
from stithy.desk import camera, look, scene, still  # noqa: E402
from stithy.kinds import assembly  # noqa: E402
from stithy.project.kind import KINDS  # noqa: E402

PLACE = ROOT / "src/stithy/data/kinds"
LARGE, SMALL = (840, 600), (140, 100)
CASE = d.Enclosure(name="Case", size="120, 90, 60 mm", wall="1 mm")
#: cells that make a kind's drawing telling
TELLING = {
    "opening": {"flow": "1 m/s", "size": "50, 30 mm", "at": "20, 15 mm"},
    "vent": {"size": "50, 30 mm", "at": "20, 15 mm"},
    "wall fan": {"size": "40, 40 mm", "at": "25, 10 mm"},
    "wall patch": {"size": "50, 30 mm", "at": "20, 15 mm"},
    "duct": {"points": "0, 0, 0; 60, 0, 0; 60, 50, 0 mm", "size": "20, 14; 30, 22 mm", "bend": "18 mm"},
    "blower": {"size": "60, 60, 20 mm"},
    "partition": {"windows": "20, 12, 30, 25 mm"},
}


def drawing(kind: str) -> bool:
    """Draw one; False for what has no shape."""
    cells = assembly.place_for(d.Document(rows=(CASE,)), "First layout", kind)
    if {"solid"} & KINDS[kind].roles and kind != "partition":
        cells = {k: v for k, v in cells.items() if k in ("points", "bend", "diameter", "bore", "size", "wall", "faces")}
    row = KINDS[kind].row(name="It", **(cells | TELLING.get(kind, {})))
    rows = (row,) if kind == "enclosure" else (CASE, row)
    model = assembly.read_all(assembly.Reader(d.Document(rows=rows), "First layout"), "First layout")
    solids = [s for s in model.solids if s.name == "It" and kind != "enclosure"]
    others = [x for x in (*model.openings, *model.fans, *model.screens, *model.patches) if x.name == "It"]
    passages = [p for p in model.passages if p.name == "It"]
    if not (solids or others or passages) and kind != "enclosure":
        return False
    view = pv.Plotter(off_screen=True, window_size=list(LARGE), border=False)
    view.enable_lightkit()
    view.ren_win.SetMultiSamples(4)
    view.set_background("#FFFFFF")
    for s in solids:
        view.add_mesh(scene.solid_mesh(s), color=s.tone, ambient=0.45, diffuse=0.55, specular=0)
        view.add_mesh(scene.solid_edges(s), color=look.INK, line_width=4)
    for p in passages:
        view.add_mesh(scene.form_mesh(p.form), color=look.TEAL, ambient=0.5, diffuse=0.5)
        view.add_mesh(scene.form_edges(p.form), color=look.INK, line_width=4)
    if others or kind in ("enclosure", "partition"):
        view.add_mesh(scene.box_edges([model.enclosures[0].outer]), color=look.INK, line_width=3)
    if others:
        for _, outlines, arrow in scene.end_meshes(model, None):
            for mesh in outlines:
                view.add_mesh(mesh, color=look.TEAL, line_width=8)
            if arrow is not None:
                view.add_mesh(arrow, color=look.TEAL)
    camera.whole(view, model)
    view.reset_camera()
    shot = np.asarray(view.screenshot(return_img=True))[:, :, :3]
    view.close()
    ink = np.argwhere((shot < 250).any(axis=2))
    if not len(ink):
        return False
    (top, left), (bottom, right) = ink.min(axis=0), ink.max(axis=0)
    image = Image.fromarray(shot[top : bottom + 1, left : right + 1])
    image.thumbnail((SMALL[0] - 8, SMALL[1] - 8), Image.Resampling.LANCZOS)
    out = Image.new("RGB", SMALL, "#FFFFFF")
    out.paste(image, ((SMALL[0] - image.width) // 2, (SMALL[1] - image.height) // 2))
    out.quantize(32).save(PLACE / f"{kind.replace(' ', '-')}.png", optimize=True)
    return True


def main() -> None:
    """All of them."""
    still.quiet_screen()
    PLACE.mkdir(exist_ok=True)
    for kind, known in KINDS.items():
        if known.group in ("Drawn", "Watches", "Views", "Settings", "Groups", "Materials", "Parameters", "Contacts"):
            continue
        print(kind, drawing(kind))


if __name__ == "__main__":
    main()
