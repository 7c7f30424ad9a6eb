"""Small drawings of the models to start from and of the jobs, in src/stithy/data/starts (python
tools/start_pictures.py): what the bench shows of them in Shape, or in Read where a result comes with them."""

from __future__ import annotations

import sys
from dataclasses import replace
from pathlib import Path

import numpy as np
from PIL import Image

ROOT = Path(__file__).parent.parent
sys.path.insert(0, str(ROOT))

from stithy import api, jobs, starts  # noqa: E402
from stithy.desk import still  # noqa: E402
from stithy.project.document import Document  # noqa: E402

PLACE = ROOT / "src/stithy/data/starts"
#: pixels drawn, and kept
LARGE, SMALL = (1120, 800), (280, 200)


def drawing(project: api.Project, name: str, solved: bool) -> None:
    """Draw one, without empty rims, on white."""
    layout = project.document.layouts[0].name
    result = project.current(layout) if solved else None
    look, _ = still.looking_at(project, layout, result)
    made = still.Still(replace(look, stage="Read" if solved else "Shape"), LARGE)
    made.view.set_background("#FFFFFF")
    try:
        made.draw()
        shot = np.asarray(made.view.screenshot(return_img=True))[:, :, :3]
    finally:
        made.close()
    ink = np.argwhere((shot < 250).any(axis=2))
    (top, left), (bottom, right) = ink.min(axis=0), ink.max(axis=0)
    image = Image.fromarray(shot[top : bottom + 1, left : right + 1])
    image.thumbnail((SMALL[0] - 12, SMALL[1] - 12), Image.Resampling.LANCZOS)
    out = Image.new("RGB", SMALL, "#FFFFFF")
    out.paste(image, ((SMALL[0] - image.width) // 2, (SMALL[1] - image.height) // 2))
    out.quantize(64).save(PLACE / f"{name}.png", optimize=True)
    print(name)


def main() -> None:
    """All of them, or the jobs that are named."""
    still.quiet_screen()
    PLACE.mkdir(exist_ok=True)
    for name in () if sys.argv[1:] else starts.names():
        document: Document = starts.document(name)
        if any(r.kind == "enclosure" for r in document.rows):
            drawing(api.Project(document, PLACE), name, False)
    for name in sys.argv[1:] or jobs.names():
        folder = jobs.DATA / ("demo" if name == jobs.FIRST else "jobs") / name
        drawing(api.open_project(folder), f"job-{name}", name == jobs.FIRST)


if __name__ == "__main__":
    main()
