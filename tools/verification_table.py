"""Run the gallery and write its table into docs/physics.md (python tools/verification_table.py [--quick])."""
from __future__ import annotations

import sys
from pathlib import Path

ROOT = Path(__file__).parent.parent
sys.path.insert(0, str(ROOT))

from tests.physics import gallery  # noqa: E402 - the gallery is shared with the tests

MANUAL = ROOT / "docs/physics.md"
START, END = "<!-- table: written by tools/verification_table.py -->", "<!-- end of table -->"


def main() -> None:
    """Write the table between the marks."""
    rows = gallery.quick() + ([] if "--quick" in sys.argv else gallery.long())
    lines = ["| case | quantity | grid | ours | reference | error | source |", "|---|---|---|---|---|---|---|"]
    lines += [f"| {r.case} | {r.quantity} | {r.grid} | {r.ours:.5g} | {r.reference:.5g} | {r.error:+.2%} | {r.source} |"
              for r in rows]
    text = MANUAL.read_text()
    head, rest = text.split(START)
    MANUAL.write_text(head + START + "\n" + "\n".join(lines) + "\n" + END + rest.split(END)[1])
    print("\n".join(lines))


if __name__ == "__main__":
    main()
