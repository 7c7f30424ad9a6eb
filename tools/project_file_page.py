"""Write docs/project-file.md from the models and the descriptions of their cells."""
from __future__ import annotations

import json
from pathlib import Path

from examples import examples

from stithy import reading
from stithy.project.kind import KINDS

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

An enclosure with `wall` 0 is a mere boundary: `outside` is the condition of all its sides, `sides` that of single ones:
`adiabatic`, `60 degC` (held), `500 W/m2` (into the model), `8 W/m2/K` (to ambient) or `8 W/m2/K to 40 degC`, `symmetry`, `periodic`,
`sliding 1, 0, 0 m/s`. A `wall patch` gives a rectangle of a side its own; on a side of symmetry it is a
wall where there was none (a plate that begins behind the inlet). With a wall thickness the same conditions hold on the outside
of the wall.

**Two dimensions**: `symmetry` on two opposite sides makes one layer of cells between them, if nothing in between varies across them.
**Periodic**: `periodic` on both sides of an axis, and a `drive` row with a mean speed, a flow or a pressure gradient. With given heat, temperatures
rise by the same amount from pitch to pitch, which the model takes into account; the mean temperature is then the ambient one. Where all walls
have one temperature and nothing gives heat, differences from it shrink by one factor from pitch to pitch (`read drive` tells it); what
enters has the bulk temperature in the drive row's `temperature` (empty: ambient).
**Solids without flow**: `gravity` 0, 0, 0 and no openings; the fluid then only conducts, and solids may fill the enclosure.
**Held solids**: a temperature in place of a heat load (`"power": "60 degC"`) holds a solid right to its faces; `1e5 W/m3` and `500 W/m2` (over
its whole surface) are loads too.
Openings are placed on the outer face of a side by the low corner and size in the other two axes (for x: y, z; for y: x, z; for z: x, y),
counted from the origin of the model. Every fluid space with a given flow in needs an opening with a pressure.
A pressure outlet is `0 Pa`; what comes back in through it has its `temperature` (empty: ambient) and has lost its dynamic head from rest
(`static 0 Pa`: it has not). `total 5 Pa` is the pressure of still fluid outside.
**Round channels**: an opening covers a rectangle; only the fluid cells behind it are open. Where it reaches several fluids it serves the one that
`serves` names (a fluid or a fluid region), or else the one behind its middle; two openings may overlap when they serve different fluids.
**Gas in closed spaces**: with `"properties": "varying"` it keeps its mass, so the pressure follows (`read fluid`).
**Forces** (`read walls`, `read wall NAME`) are those of the momentum equations, so they balance; in a driven periodic flow they hold the part
of the mean pressure gradient, while pressures themselves are told without it.
Solids may touch, and one may lie wholly inside another (the smaller one wins); a partial overlap is refused. Cylinders, outlines, tubes, triangulated solids and bores
may cross other solids: what is smaller (by its volume) wins, so a bore is cut from what is larger, and a rod may stand in a bore. A bore also passes
smaller boxes that would close it whole (a baffle that leaves a window stays). Shapes that are no boxes may reach beyond an enclosure without wall
thickness and are cut there: half a bar at a symmetry or periodic side. A heat load in W then goes into the part inside.
**Passages**: a block, cylinder, outline, tube or triangulated solid whose `material` is `fluid` is cut out of the solids it crosses. A `tube` follows a line of points with
rounded corners; an `outline` is any polygon drawn out along an axis; a `triangulated` solid is bounded by triangles, whose corners stand in `points`
and whose corners' numbers, from 1 and counterclockwise seen from outside, in `triangles` (every edge has two of them; others are refused). Fluxes and shear stresses on round and oblique walls are those of their
true area.
**Mixing** (`flow` of the surroundings): `laminar`; `wall-law`, the fast model for enclosures and the default; `k-omega` or `k-epsilon` for ducts,
channels and steps in turbulent flow, with the first cell anywhere from y+ 1 to 100 (the trust line of `stithy solve` tells it). docs/physics.md
shows how far each is off in a plane channel.
**In time**: `time` of the run row; `starts` of parts, enclosures and fluid regions are their temperatures at the start. `save_every` keeps instants, which
`--time` picks for any reading; `history` has temperatures of parts, and flow and pressure at openings, at every step. A symmetric flow that would shed
vortices stays symmetric until rounding has grown: move what it passes by a hundredth of its size, and let cells grow by 5 % at most
(`growth` 1.05), so that the wake is as fine as the body.
**Inlets beside held walls**: leave some length of adiabatic wall after an inlet before a wall of given temperature; heat would leak back there.
**Grid**: lines stand on every face. `detail` is quick, standard or fine, and the empty cells of the grid row go by it (docs/physics.md, *Grid by rule*). What is
said is kept: `across_gaps` cells between facing solids and walls, `across_solids` across any solid, `cells` across one, `at_walls` the first cell at every wall (`0 mm`: no wish),
`growth` from there on, and none longer than `coarsest`. Projects of earlier versions keep the cells they set; a grid row nobody had touched goes by detail. `stithy check` names what is
missing.

## Solving and reading

```
stithy check PROJECT            everything missing or contradictory (exit code 2 when something is)
stithy solve PROJECT            the first layout; --layout NAME, --all, --fresh
stithy read PROJECT WHAT ...    any quantity of the stored result; --layout NAME, --json (SI units, K), --time "30 s"
stithy export PROJECT f.vtr     all fields; .csv all tables
```

What can be read (tables are in SI units, but temperatures in degC and places in mm):

| what | gives |
|---|---|
READING
Heat at walls is positive into the fluid. Walls are named after the solid (`Step`), the wall patch, or the side of an enclosure without
thickness (`Duct z-`). Pressure force and shear force are what the fluid does to the wall. Pressures are relative to the
surroundings, the hydrostatic part of the reference density left out. Bulk temperatures are weighted by the mass flow. A plane's values are
interpolated between cell layers. From Python: `stithy.open(PROJECT).read()` gives an object with `at`, `line`, `plane`, `wall`,
`wall_along`, `parts`, `fluid`, `drive`.

## Worked examples

Each is a project in `docs/examples/`; the tests solve them and run the commands shown.

EXAMPLES
## Rows
"""


def main() -> None:
    """Write the page."""
    table = "\n".join(f"| `{what}` | {text} |" for what, text in reading.WHAT.items())
    shown = []
    for folder, (document, text, commands) in examples().items():
        rows = ",\n  ".join(json.dumps(r.model_dump(exclude_defaults=True) | {"kind": r.kind}, ensure_ascii=False) for r in document.rows)
        calls = "\n".join(f"stithy {c.split(' ', 1)[0]} docs/examples/{folder} {c.split(' ', 1)[1]}" for c in commands)
        shown.append(f"### {document.name} (`{folder}`)\n\n{text}\n\n```json\n{{\"format\": \"stithy project\", \"version\": 1, "
                     f"\"name\": \"{document.name}\", \"rows\": [\n  {rows}],\n \"layouts\": [{{\"name\": \"Base\"}}]}}\n```\n\n```\n"
                     f"stithy solve docs/examples/{folder}\n{calls}\n```\n")
    out = [HEAD.replace("READING\n", table + "\n\n").replace("EXAMPLES\n", "\n".join(shown))]
    for kind in KINDS.values():
        out.append(f"### {kind.name}\n\n{kind.what}\n\n| cell | default | meaning |\n|---|---|---|")
        for c in kind.cells.values():
            default = kind.row.model_fields[c.key].default
            out.append(f"| `{c.key}` | {default or '(empty)'} | {c.what} |")
        out.append("")
    Path(__file__).parent.parent.joinpath("docs/project-file.md").write_text("\n".join(out))


if __name__ == "__main__":
    main()
