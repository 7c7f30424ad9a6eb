"""What the command line shows: tables, and a bar with the time left. Plain lines where the output is no terminal."""

from __future__ import annotations

import json
import math
import re
import sys
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from typing import Any

import numpy as np
from rich.console import Console
from rich.progress import BarColumn, Progress, TextColumn
from rich.table import Table
from rich.text import Text

ESCAPES = {c: "\N{REPLACEMENT CHARACTER}" for c in (*range(32), 127, *range(128, 160)) if c not in (9, 10)}
#: how a cell begins that is a number, or none
_NUMBER = re.compile(r"[-+]?[.\d]|-?$|nan")


def plain(text: str) -> str:
    """Text without signs that would steer the terminal."""
    return text.translate(ESCAPES)


def show_table(rows: list[list[str]], words: int = 1) -> None:
    """A head and rows; the first ``words`` columns and all that hold words stand left. In a terminal it fits the
    width; else columns are aligned by spaces."""
    console = Console()
    left = [i < words or not all(_NUMBER.match(line[i]) for line in rows[1:]) for i in range(len(rows[0]))]
    if not console.is_terminal:
        widths = [max(len(line[i]) for line in rows) for i in range(len(rows[0]))]
        for line in rows:
            cells = [x.ljust(w) if at else x.rjust(w) for x, w, at in zip(line, widths, left, strict=True)]
            print(plain("  ".join(cells).rstrip()))
        return
    table = Table(box=None, pad_edge=False, header_style="bold")
    for head, at in zip(rows[0], left, strict=True):
        table.add_column(Text(plain(head)), justify="left" if at else "right")
    for line in rows[1:]:
        table.add_row(*(Text(plain(x)) for x in line))
    console.print(table)


def show_json(value: Any) -> None:
    """A value as JSON; numbers that are none (NaN, without end) are null, which every reader of JSON takes."""
    print(json.dumps(_finite(value), indent=1, allow_nan=False))


def _finite(value: Any) -> Any:
    if isinstance(value, dict):
        return {k: _finite(x) for k, x in value.items()}
    if isinstance(value, list | tuple):
        return [_finite(x) for x in value]
    if isinstance(value, np.ndarray | np.generic):
        return _finite(value.tolist())
    return None if isinstance(value, float) and not math.isfinite(value) else value


@contextmanager
def progress(what: str) -> Iterator[Callable]:
    """A function that takes every report of a run (:class:`solve.steady.Progress`) and shows how far it is, beside the
    output: what reads that may have had enough of it, and the run goes on."""
    console = Console(stderr=True)
    if not console.is_terminal:

        def line(p: Any) -> bool:
            if p.iteration % 10 == 0 or p.phase == "done":
                print(
                    f"iteration {p.iteration:4d}  momentum {p.momentum:.1e}  heat {p.heat:.1e}  {p.left}",
                    file=sys.stderr,
                )
            return True

        yield line
        return
    columns = TextColumn("{task.description}"), BarColumn(bar_width=24), TextColumn("{task.fields[told]}")
    with Progress(*columns, console=console, transient=True) as bar:
        task = bar.add_task(plain(what), total=1.0, told="preparing")

        def tell(p: Any) -> bool:
            whole = p.seconds + (p.remaining if p.remaining == p.remaining else 60.0)
            told = f"iteration {p.iteration}  momentum {p.momentum:.1e}  {p.left}" + (
                "  on a coarser grid" if p.phase == "coarse grid" else ""
            )
            bar.update(task, completed=p.seconds / max(whole, 1e-9), told=told)
            return True

        yield tell


@contextmanager
def progress_line(what: str) -> Iterator[Callable[[str, float], None]]:
    """A function that takes what is being done and how far it is (0 to 1); shown beside the output."""
    console = Console(stderr=True)
    if not console.is_terminal:
        yield lambda text, share: None
        return
    columns = TextColumn("{task.description}"), BarColumn(bar_width=24), TextColumn("{task.fields[told]}")
    with Progress(*columns, console=console, transient=True) as bar:
        task = bar.add_task(plain(what), total=1.0, told="")
        yield lambda text, share: bar.update(task, completed=share, told=plain(text))


def complain(text: str) -> None:
    """A message for the user, beside the output."""
    print(plain(text), file=sys.stderr)
