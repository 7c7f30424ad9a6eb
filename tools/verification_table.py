"""Run the gallery and write its tables into docs/physics.md (python tools/verification_table.py [--quick])."""
from __future__ import annotations

import sys
from pathlib import Path

ROOT = Path(__file__).parent.parent
sys.path.insert(0, str(ROOT))

from tests.physics import gallery, orders  # noqa: E402 - the gallery is shared with the tests

MANUAL = ROOT / "docs/physics.md"
START, END = "<!-- table: written by tools/verification_table.py -->", "<!-- end of table -->"


def _table(heads: str, rows) -> list[str]:
    heads = heads.split(", ")
    return [f"| {' | '.join(row)} |" for row in (heads, ["---"] * len(heads), *rows)]


def cases(rows) -> list[str]:
    """The table of numbers beside their references."""
    return _table("case, equations, discretisation, quantity, grid, ours, reference, error, source", (
        [r.case, *r.model, r.quantity, r.grid, f"{r.ours:.5g}", f"{r.reference:.5g}", f"{r.error:+.2%}", r.source] for r in rows))


def observed(found) -> list[str]:
    """The table of observed orders."""
    return _table("case, quantity, grids or steps, ours, limit, reference, limit's error, observed order", (
        [s.case, s.quantity, "; ".join(s.grids), "; ".join(f"{v:.5g}" for v in s.values), _or(s.limit, ".5g"), _or(s.reference, ".5g"),
         _or(s.limit / s.reference - 1, "+.2%"), _or(s.order, ".2f")] for s in found))


def _or(x: float, how: str) -> str:
    return format(x, how) if x == x else "-"


def main() -> None:
    """Write both tables between the marks."""
    brief = "--quick" in sys.argv
    rows = gallery.quick() + ([] if brief else gallery.long())
    found = orders.quick() + ([] if brief else orders.long())
    lines = [*cases(rows), "", "Observed orders: each grid (or step) is twice as fine as the one before; the order is that of the changes "
             "from one to the next, the limit is Richardson's.", "", *observed(found)]
    text = MANUAL.read_text()
    head, rest = text.split(START)
    MANUAL.write_text(head + START + "\n" + "\n".join(lines) + "\n" + END + rest.split(END)[1])
    print("\n".join(lines))


if __name__ == "__main__":
    main()
