"""Write the demonstration project and solve what is not current: python tools/make_demo.py [--solve | --fresh]."""

from __future__ import annotations

import sys
import time
from pathlib import Path

from stithy import kinds as d
from stithy.project import files

HERE = Path(__file__).parent.parent / "src/stithy/data/demo/lamp-driver"

ROWS = (
    d.Enclosure(name="Case", size="240, 160, 70 mm", wall="2 mm", outside="9 W/m2/K"),
    d.Board(name="Driver board", at="20, 15, 12 mm", size="196, 130, 1.6 mm"),
    d.Component(name="LED driver A", at="108, 72, 13.6 mm", size="14, 14, 4 mm", power="5.6 W", limit="75 degC"),
    d.Component(name="LED driver B", at="138, 72, 13.6 mm", size="14, 14, 4 mm", power="5.6 W", limit="75 degC"),
    d.Component(name="Surge stage", at="40, 100, 13.6 mm", size="18, 18, 8 mm", power="3.4 W", limit="105 degC"),
    d.Component(name="Microcontroller", at="40, 38, 13.6 mm", size="12, 12, 2 mm", power="0.8 W", limit="90 degC"),
    d.Component(
        name="Choke",
        at="184, 30, 13.6 mm",
        size="20, 20, 16 mm",
        power="2.2 W",
        limit="95 degC",
        material="wound choke",
    ),
    d.Component(name="Radio module", at="184, 106, 13.6 mm", size="22, 16, 3 mm", power="1.3 W", limit="68 degC"),
    d.Component(name="Bridge rectifier", at="70, 26, 13.6 mm", size="16, 10, 5 mm", power="2 W", limit="110 degC"),
    d.PlateFinSink(
        name="Driver sink",
        at="100, 51, 17.6 mm",
        size="60, 57.2, 28 mm",
        base="4 mm",
        fins="9",
        fin="1.2 mm",
        along="x",
    ),
    d.Vent(name="West vent", on="Case", side="x-", at="40, 20 mm", size="80, 30 mm", free="45 %"),
    d.WallFan(
        name="East fan", on="Case", side="x+", at="60, 15.6 mm", size="40, 40 mm", blows="out", curve="Skerry 40"
    ),
    d.WatchRow(name="Fan pressure", quantity="pressure drop", of="East fan", most="20 Pa"),
    d.Surroundings(name="Surroundings", ambient="35 degC"),
    d.GridRow(name="Grid"),
    d.RunRow(name="Run"),
    d.Section(name="Section", across="y"),
    d.Surface(name="Surfaces"),
    d.Vectors(name="Vectors", shown="off"),
    d.Streamlines(name="Streamlines", shown="off", marks="moving"),
    d.Isosurface(name="Warm air", shown="off", at="42; 50 degC", opacity="45 %"),
    d.LineRow(
        name="Over the fins", shown="off", quantity="temperature; speed", through="2, 79.6, 40; 238, 79.6, 40 mm"
    ),
    d.WatchRow(name="Air drawn in", quantity="mass flow", of="West vent"),
    d.WatchRow(name="Board, mean", of="Driver board", measure="mean"),
)
PINS = d.PinFinSink(
    name="Driver sink", at="100, 51, 17.6 mm", size="60, 57.2, 28 mm", base="4 mm", pins="6, 6", pin="3 mm"
)
INSIDE = (
    d.Vent(name="East vent", on="Case", side="x+", at="40, 20 mm", size="80, 30 mm", free="45 %"),
    d.InsideFan(name="Inside fan", at="92, 60, 15.6 mm", size="40, 40 mm", blows="x+", curve="Skerry 40"),
)
FAN_LIMIT = {"Fan pressure": {"of": "Inside fan"}}
TALL = {"West vent": {"at": "20, 6 mm", "size": "120, 58 mm", "free": "60 %"}}
TALL_EAST = d.Vent(name="East vent", on="Case", side="x+", at="20, 6 mm", size="120, 58 mm", free="60 %")


def document() -> d.Document:
    """The lamp driver enclosure of Tolva Head light, with five layouts."""
    return d.Document(
        name="Tolva Head lamp driver",
        rows=ROWS,
        layouts=(
            d.Layout(name="Fan on wall, plates"),
            d.Layout(name="Fan on wall, pins", add=(PINS,)),
            d.Layout(name="Fan inside, plates", add=INSIDE, leave_out=("East fan",), changes=FAN_LIMIT),
            d.Layout(name="No fan, tall vents", add=(TALL_EAST,), leave_out=("East fan", "Fan pressure"), changes=TALL),
            d.Layout(
                name="No fan, no radiation",
                add=(TALL_EAST,),
                leave_out=("East fan", "Fan pressure"),
                changes=TALL | {"Surroundings": {"radiation": "none"}},
            ),
        ),
    )


def digits(summary: dict | None) -> list[str]:
    """The digits of a result that anybody is shown."""
    if summary is None:
        return []
    shown = [f"{p[k] - 273.15:.1f}" for p in summary["parts"].values() for k in ("max", "mean")]
    shown += [f"{x[k]:.3g}" for x in summary["ends"].values() for k in ("volume_flow", "pressure", "heat_out")]
    shown += ["with its heat path"] if "heat_path" in summary else []
    return [summary["key"], *shown, *(f"{x[k]:.3g}" for x in summary["fans"].values() for k in ("volume_flow", "rise"))]


def main() -> None:
    """Write the project; with --solve run every layout that is not current, with --fresh all of them.

    A new result takes the place of the committed one only where a digit that is shown has moved.
    """
    from stithy.solution import store
    from stithy.solve.job import Job
    from stithy.weigh.compare import standing

    files.save(document(), HERE)
    for layout in (x.name for x in document().layouts):
        current = standing(document(), HERE, layout).state == "current"
        if "--fresh" not in sys.argv and ("--solve" not in sys.argv or current):
            continue
        began, before = time.time(), digits(store.summary(HERE, layout)) if current else []
        job = Job(document(), layout, None)
        result = job.run(lambda p: print(f"\r{p.iteration:4d} {p.momentum:.2e} {p.heat:.2e}", end="") or True)
        moved = digits(result.summary) != before
        if moved:
            head, *lines = job.history()
            store.save(HERE, layout, result, [head, *lines[::2]], packed=True)
        told = f"{result.summary['cells']} cells, {time.time() - began:.0f} s, settled {result.summary['settled']}"
        print(f"\n{layout}: {told}, {'stored' if moved else 'no shown digit moved'}")
    (HERE / "results/.index.lock").unlink(missing_ok=True)


if __name__ == "__main__":
    main()
