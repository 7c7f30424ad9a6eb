"""Write docs/project-file.md from the models and the descriptions of their cells."""
from __future__ import annotations

from pathlib import Path

from stithy.project import cells
from stithy.project.document import ROW_TYPES

HEAD = """# The project file

A project is a folder with `project.json` and `results/`. The file is JSON: `format` ("stithy project"), `version` (1), `name`, `rows`, `layouts`.
Every cell is a text, read with its unit when the project is checked or solved; `stithy schema` prints the JSON Schema. This page is written
by `tools/project_file_page.py` from the program's own descriptions.

A **layout** has a `name`, `changes` (row name -> cell -> text), `add` (rows; one with the name of a base row takes its place), and `leave_out` (names).

```json
{"format": "stithy project", "version": 1, "name": "A duct", "rows": [
  {"kind": "enclosure", "name": "Duct", "size": "200, 10, 10 mm", "wall": "0 mm", "outside": "40 degC",
   "sides": "x-: adiabatic; x+: adiabatic"},
  {"kind": "opening", "name": "In", "on": "Duct", "side": "x-", "at": "0, 0 mm", "size": "10, 10 mm", "flow": "0.15 m/s"},
  {"kind": "opening", "name": "Out", "on": "Duct", "side": "x+", "at": "0, 0 mm", "size": "10, 10 mm", "flow": "0 Pa"},
  {"kind": "surroundings", "name": "Air", "gravity": "0, 0, 0 m/s2", "flow": "laminar"},
  {"kind": "grid", "name": "Grid", "coarsest": "2.5 mm", "across_gaps": "20"}],
 "layouts": [{"name": "Base"}]}
```

An enclosure with `wall` 0 is a mere boundary. `symmetry` on two opposite sides makes a two-dimensional case of one cell between them.
Openings are placed on the outer face of a side by the low corner and size in the other two axes, counted from the origin of the model.
Solids may touch, and one may lie wholly inside another; a partial overlap is refused.

## Rows
"""


def main() -> None:
    """Write the page."""
    out = [HEAD]
    for kind, model in ROW_TYPES.items():
        out.append(f"### {kind}\n\n{model.__doc__}\n\n| cell | default | meaning |\n|---|---|---|")
        for c in cells.CELLS[kind]:
            default = model.model_fields[c.key].default
            out.append(f"| `{c.key}` | {default or '(empty)'} | {c.what} |")
        out.append("")
    Path(__file__).parent.parent.joinpath("docs/project-file.md").write_text("\n".join(out))


if __name__ == "__main__":
    main()
