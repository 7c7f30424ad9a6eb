"""What the command line shows: tables that can be read back, JSON that every reader takes, progress beside them."""

from __future__ import annotations

import json
import math
import subprocess
import sys
from types import SimpleNamespace

import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from stithy import terminal
from stithy.project import files

from .conftest import small

WORDS = st.text(st.characters(codec="utf-8", exclude_categories=("Cs", "Cc", "Z")), min_size=1, max_size=12)
NUMBERS = st.floats(allow_nan=False, allow_infinity=False).map(lambda x: f"{x:.4g}")
PLAIN = settings(max_examples=60, suppress_health_check=[HealthCheck.function_scoped_fixture])


@PLAIN
@given(st.integers(1, 4), st.integers(1, 5), st.data())
def test_a_table_is_read_back(capsys, columns, count, data):
    """Cells stand apart by two blanks at least, words from the left and numbers to the right of their columns, as wide
    as the widest; nothing is lost."""
    sorts = [data.draw(st.sampled_from([WORDS, NUMBERS])) for _ in range(columns)]
    rows = [[data.draw(WORDS) for _ in range(columns)]] + [[data.draw(s) for s in sorts] for _ in range(count)]
    capsys.readouterr()
    terminal.show_table(rows)
    lines = capsys.readouterr().out.splitlines()
    assert len(lines) == len(rows)
    widths = [max(len(r[i]) for r in rows) for i in range(columns)]
    for i, sort in enumerate(sorts):
        start = sum(widths[:i]) + 2 * i
        for line, row in zip(lines, rows, strict=True):
            cell = line[start : start + widths[i]]
            assert cell.strip() == row[i]
            if i and sort is NUMBERS:
                assert cell.endswith(row[i])
            elif i == 0 or not all(r[i][0] in "-+.0123456789" for r in rows[1:]):
                assert cell.startswith(row[i])


ANY = st.recursive(
    st.one_of(st.none(), st.booleans(), st.integers(-9, 9), st.floats(), WORDS),
    lambda x: st.one_of(st.lists(x, max_size=3), st.dictionaries(WORDS, x, max_size=3)),
    max_leaves=8,
)


@PLAIN
@given(ANY)
def test_json_is_for_every_reader(capsys, value):
    """Strict JSON whatever the numbers are: what is none, or without end, is null; all else is as it was, of arrays and
    their numbers too."""

    def refuse(text: str):
        raise AssertionError(f"{text} is no JSON")

    def same(a, b) -> bool:
        if isinstance(b, dict):
            return a.keys() == b.keys() and all(same(a[k], b[k]) for k in b)
        if isinstance(b, list):
            return len(a) == len(b) and all(map(same, a, b))
        return a is None if isinstance(b, float) and not math.isfinite(b) else a == b and type(a) is type(b)

    capsys.readouterr()
    terminal.show_json({"value": value, "one": np.float32(0.5), "many": np.array([1.0, np.nan]), "yes": np.True_})
    told = json.loads(capsys.readouterr().out, parse_constant=refuse)
    assert same(told["value"], value)
    assert told["one"] == 0.5
    assert told["many"] == [1.0, None]
    assert told["yes"] is True


def test_progress_stands_beside_the_output(capsys):
    """A line in ten, and the last; none of it in what another program reads."""
    with terminal.progress("One") as tell:
        for m in range(1, 26):
            assert tell(
                SimpleNamespace(iteration=m, phase="done" if m == 25 else "", momentum=0.1, heat=0.1, left="1 s")
            )
    told = capsys.readouterr()
    assert told.out == ""
    assert [int(x.split()[1]) for x in told.err.splitlines()] == [10, 20, 25]


@pytest.mark.timeout(120)
def test_a_run_outlives_who_reads_it(tmp_path):
    """Its output closed at once: the run goes on, and its result is stored."""
    files.save(small(), tmp_path)
    run = subprocess.Popen(
        [sys.executable, "-m", "stithy.cli", "solve", str(tmp_path)], stdout=subprocess.PIPE, stderr=subprocess.DEVNULL
    )
    assert run.stdout is not None
    run.stdout.close()
    assert run.wait(100) in (0, 1)
    assert list(tmp_path.glob("results/*/summary.json"))
