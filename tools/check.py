"""The one check: lint, format, types, import contracts."""

from __future__ import annotations

import subprocess
import sys
from pathlib import Path

ROOT = Path(__file__).parent.parent
BIN = Path(sys.executable).parent

OURS = ["src", "tests", "tools", "benchmarks", "verification"]

for command in (
    [str(BIN / "ruff"), "check", *OURS],
    [str(BIN / "ruff"), "format", "--check", *OURS],
    [str(BIN / "mypy")],
    [str(BIN / "lint-imports"), "--no-cache"],
):
    print("$", " ".join(Path(c).name if i == 0 else c for i, c in enumerate(command)), flush=True)
    done = subprocess.run(command, cwd=ROOT)
    if done.returncode:
        sys.exit(done.returncode)
