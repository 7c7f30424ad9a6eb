"""From the press of a button to a run's first iterations: a process begun from nothing, and one that is forked from
the server of processes. Writes docs/performance.md (part of make bench)."""

from __future__ import annotations

import statistics
import tempfile
import time
from pathlib import Path

from stithy import starts
from stithy.project import files
from stithy.solve import processes
from stithy.solve.messages import LAST, Started
from stithy.solve.worker import Handle

PAGE = Path(__file__).parent.parent / "docs/performance.md"
START, END = "<!-- starting -->\n", "<!-- end of starting -->\n"
TIMES = 5


def wait() -> float:
    """Seconds from the press until the run of a small model stands ready to iterate."""
    document = starts.document("cold-plate")
    with tempfile.TemporaryDirectory() as folder:
        files.save(document, Path(folder))
        began = time.perf_counter()
        handle = Handle(document, document.layouts[0].name, Path(folder))
        while True:
            heard = handle.messages()
            if any(isinstance(m, (Started, *LAST)) for m in heard):
                taken = time.perf_counter() - began
                handle.kill()
                return taken
            time.sleep(0.002)


def main() -> None:
    """Measure, print, and write the page's part."""
    alone = statistics.median(wait() for _ in range(TIMES))
    began = time.perf_counter()
    processes.context(wait=True)
    server = time.perf_counter() - began
    forked = statistics.median(wait() for _ in range(TIMES))
    text = (
        "## From the button to the run\n"
        f"Written by `benchmarks/starting.py`. Until the *Cold plate* of the start page has its grid and begins to "
        f"iterate, {alone:.1f} s pass in a process begun from nothing, {forked:.2f} s in one that is forked from the "
        f"server which every window gets ready beside itself ({server:.1f} s, after it has drawn itself): "
        f"{alone / forked:.0f} times as long.\n"
    )
    print(text)
    page = PAGE.read_text(encoding="utf-8")
    before, _, rest = page.partition(START)
    after = rest.partition(END)[2] if rest else ""
    PAGE.write_text(before.rstrip() + "\n\n" + START + text + END + after, encoding="utf-8")


if __name__ == "__main__":
    main()
