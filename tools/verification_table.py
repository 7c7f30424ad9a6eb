"""Run the gallery and write its tables into docs/physics.md (python tools/verification_table.py [--quick])."""

from __future__ import annotations

import sys
from pathlib import Path

ROOT = Path(__file__).parent.parent
sys.path.insert(0, str(ROOT))

from verification import as_it_comes, gallery, imported, orders  # noqa: E402 - the gallery is shared with the tests

MANUAL = ROOT / "docs/physics.md"
DEFAULTS, DEFAULTS_END = "<!-- defaults: written by tools/verification_table.py -->", "<!-- end of defaults -->"
IMPORTED, IMPORTED_END = "<!-- imported: written by tools/verification_table.py -->", "<!-- end of imported -->"
START, END = "<!-- table: written by tools/verification_table.py -->", "<!-- end of table -->"


def _table(heads: str, rows) -> list[str]:
    heads = heads.split(", ")
    return [f"| {' | '.join(row)} |" for row in (heads, ["---"] * len(heads), *rows)]


def cases(rows) -> list[str]:
    """The table of numbers beside their references."""
    return _table(
        "case, equations, discretisation, quantity, grid, ours, reference, error, source",
        (
            [r.case, *r.model, r.quantity, r.grid, f"{r.ours:.5g}", f"{r.reference:.5g}", f"{r.error:+.2%}", r.source]
            for r in rows
        ),
    )


def observed(found) -> list[str]:
    """The table of observed orders."""
    return _table(
        "case, quantity, grids or steps, ours, limit, reference, limit's error, observed order",
        (
            [
                s.case,
                s.quantity,
                "; ".join(s.grids),
                "; ".join(f"{v:.5g}" for v in s.values),
                _or(s.limit, ".5g"),
                _or(s.reference, ".5g"),
                _or(s.limit / s.reference - 1, "+.2%"),
                _or(s.order, ".2f"),
            ]
            for s in found
        ),
    )


def _or(x: float, how: str) -> str:
    return "exact" if x == float("inf") else format(x, how) if x == x else "-"


def by_default() -> list[str]:
    """The table of defaults beside experts, and that of the bands."""
    rows, bands = as_it_comes.tables()
    lines = _table(
        "configuration, quantity, truth, source, expert, its error, as it comes, its error, cells, seconds",
        (
            [
                name,
                what,
                _some(ref, ".4g"),
                source,
                _some(expert, ".4g"),
                f"{wrong:+.1%}",
                _some(ours, ".4g"),
                f"{error:+.1%}",
                f"{cells}",
                f"{took:.0f}",
            ]
            for name, what, ref, source, expert, wrong, ours, error, cells, took in rows
        ),
    )
    held, numbers = sum(b.held for b in bands), sum(b.numbers for b in bands)
    back, of = (sum(getattr(b, k) for b in bands if not b.chosen) for k in ("held", "numbers"))
    return [
        *lines,
        "",
        "Of the demonstration the expert's column is the default grid's own error, without what the coarser grid adds.",
        "",
        f"Bands that hold the finer grid's number: {held} of {numbers} ({held / numbers:.0%}), of the models "
        f"below the demonstration, which chose only how far bands are widened, {back} of {of} ({back / of:.0%}); "
        "widths and errors are means over rises or drops.",
        "",
        *_table(
            "configuration, cells, the coarser grid's cells longer, cells of the finer grid, held, of, "
            "width of the band, error of the value",
            (
                [
                    b.case,
                    f"{b.cells}",
                    f"{b.longer:.2f}",
                    f"{b.finer_cells}",
                    f"{b.held}",
                    f"{b.numbers}",
                    f"{b.width:.1%}",
                    f"{b.error:.1%}",
                ]
                for b in bands
            ),
        ),
    ]


def _some(x: float, how: str) -> str:
    return format(x, how) if x else "-"


def _put(text: str, start: str, end: str, lines: list[str]) -> str:
    head, rest = text.split(start)
    return head + start + "\n" + "\n".join(lines) + "\n" + end + rest.split(end)[1]


def main() -> None:
    """Write the tables between their marks; with --defaults or --imported only those."""
    if "--quick" not in sys.argv and "--defaults" not in sys.argv:
        table = _table(
            "case, quantity, grid, ours, reference, error, source",
            (
                [r.case, r.quantity, r.grid, f"{r.ours:.5g}", f"{r.reference:.5g}", f"{r.error:+.2%}", r.source]
                for r in imported.rows()
            ),
        )
        MANUAL.write_text(_put(MANUAL.read_text(), IMPORTED, IMPORTED_END, table))
    if "--imported" in sys.argv:
        return
    if "--quick" not in sys.argv:
        MANUAL.write_text(_put(MANUAL.read_text(), DEFAULTS, DEFAULTS_END, by_default()))
    if "--defaults" in sys.argv:
        return
    brief = "--quick" in sys.argv
    rows = gallery.quick() + ([] if brief else gallery.long())
    found = orders.quick() + ([] if brief else orders.long())
    lines = [
        *cases(rows),
        "",
        "Observed orders: each grid (or step) is twice as fine as the one before; the order is that of the changes "
        "from one to the next, the limit is Richardson's.",
        "",
        *observed(found),
    ]
    MANUAL.write_text(_put(MANUAL.read_text(), START, END, lines))
    print("\n".join(lines))


if __name__ == "__main__":
    main()
