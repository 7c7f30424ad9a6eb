"""Run the gallery and write its tables into docs/physics.md (python tools/verification_table.py [--quick])."""
from __future__ import annotations

import sys
from pathlib import Path

ROOT = Path(__file__).parent.parent
sys.path.insert(0, str(ROOT))

from tests.physics import gallery, orders  # noqa: E402 - the gallery is shared with the tests

MANUAL = ROOT / "docs/physics.md"
START, END = "<!-- table: written by tools/verification_table.py -->", "<!-- end of table -->"


def cases(rows) -> list[str]:
    """The table of numbers beside their references."""
    lines = ["| case | equations | discretisation | quantity | grid | ours | reference | error | source |", "|---|---|---|---|---|---|---|---|---|"]
    return lines + [f"| {r.case} | {r.model[0]} | {r.model[1]} | {r.quantity} | {r.grid} | {r.ours:.5g} | {r.reference:.5g} | {r.error:+.2%} | "
                    f"{r.source} |" for r in rows]


def observed(found) -> list[str]:
    """The table of observed orders."""
    lines = ["| case | quantity | grids or steps | ours | limit | reference | limit's error | observed order |", "|---|---|---|---|---|---|---|---|"]
    for s in found:
        known = s.reference == s.reference
        lines.append(f"| {s.case} | {s.quantity} | {'; '.join(s.grids)} | {'; '.join(f'{v:.5g}' for v in s.values)} | {_or(s.limit, '.5g')} | "
                     f"{_or(s.reference, '.5g')} | {_or(s.limit / s.reference - 1 if known else s.reference, '+.2%')} | {_or(s.order, '.2f')} |")
    return lines


def _or(x: float, how: str) -> str:
    return format(x, how) if x == x else "-"


def main() -> None:
    """Write both tables between the marks."""
    brief = "--quick" in sys.argv
    rows = gallery.quick() + ([] if brief else gallery.long())
    found = orders.quick() + ([] if brief else orders.long())
    lines = [*cases(rows), "", "Observed orders: each grid (or step) twice as fine as the one before; the order is that of the changes from one to the next, "
             "the limit is Richardson's.", "", *observed(found)]
    text = MANUAL.read_text()
    head, rest = text.split(START)
    MANUAL.write_text(head + START + "\n" + "\n".join(lines) + "\n" + END + rest.split(END)[1])
    print("\n".join(lines))


if __name__ == "__main__":
    main()
