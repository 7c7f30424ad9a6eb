"""Drill files: tools, holes and slots, plated or not. What is not understood is told with its line and left out."""

from __future__ import annotations

import re
from collections.abc import Callable
from pathlib import Path

import numpy as np

_TOOL = re.compile(r"T(\d+)(?:[FSBHZ][\d.]+)*C([\d.]+)")
_AT = re.compile(r"([XY])([-+]?[\d.]+)")
_IDLE = re.compile(
    r"^(M48|M30|M95|%|M00|M71|M72|G90|G05|FMAT.*|VER.*|ICI.*|DETECT.*|G00.*|M15|M16|M17|R0?|ATC.*|M06|G93.*)$"
)
#: holes along a slot, over its diameter
ALONG = 0.5


class Drilled:
    """Reads one file: :attr:`holes` (n, 4) x, y, diameter (mm), plated (1 or 0)."""

    def __init__(self, path: Path, text: str, tell: Callable[[str], None]):
        self.path, self._tell = path, tell
        self.unit, self.digits, self.trailing = 1.0, (3, 3), True
        self.tools: dict[int, float] = {}
        self.plated = _plated(path, text)
        self.found: list[tuple[float, float, float, float]] = []
        self._head, self._tool, self._at, self._down = True, 0.0, (0.0, 0.0), False
        for number, raw in enumerate(text.splitlines(), 1):
            self._line(number, raw.strip())

    @property
    def holes(self) -> np.ndarray:
        """Every hole; slots as holes along them."""
        return np.array(self.found).reshape(-1, 4)

    def _line(self, number: int, line: str) -> None:
        if not line or line.startswith(";"):
            if line.startswith(";TYPE="):
                self.plated = "NON" not in line.upper()
            if found := re.search(r"FILE_FORMAT=(\d):(\d)", line):
                self.digits = int(found.group(1)), int(found.group(2))
            return
        upper = line.upper()
        if upper.startswith(("METRIC", "INCH")):
            self.unit = 25.4 if upper.startswith("INCH") else 1.0
            self.digits = (2, 4) if upper.startswith("INCH") else (3, 3)
            self.trailing = "TZ" in upper or "LZ" not in upper
            if found := re.search(r"(0+)\.(0+)", upper):
                self.digits = len(found.group(1)), len(found.group(2))
            return
        if upper in ("M71", "M72"):
            self.unit = 1.0 if upper == "M71" else 25.4
            return
        if found := _TOOL.match(upper):
            self.tools[int(found.group(1))] = float(found.group(2)) * self.unit
            return
        if found := re.fullmatch(r"T(\d+)", upper):
            size = self.tools.get(int(found.group(1)))
            if size is None and int(found.group(1)):
                self._note(number, f"tool {found.group(1)} has no diameter; its holes are left out.")
            self._tool = size or 0.0
            return
        if "G85" in upper:
            a, b = upper.split("G85", 1)
            start = self._place(number, a)
            self._slot(start, self._place(number, b))
            return
        if upper in ("M15", "M16", "M17"):
            self._down = upper == "M15"
            return
        if upper.startswith("G00"):
            self._place(number, upper[3:])
            return
        if upper.startswith("G01"):
            start = self._at
            end = self._place(number, upper[3:])
            if self._down:
                self._slot(start, end)
            return
        if upper.startswith(("X", "Y")) and re.fullmatch(r"(?:[XY][-+]?[\d.]+)+", upper):
            x, y = self._place(number, upper)
            self._add(x, y)
            return
        if not _IDLE.match(upper):
            self._note(number, f"“{line[:30]}” is not understood; left out.")

    def _note(self, number: int, what: str) -> None:
        self._tell(f"{self.path.name}, line {number}: {what}")

    def _place(self, number: int, text: str) -> tuple[float, float]:
        at = dict(zip("XY", self._at, strict=True))
        for axis, digits in _AT.findall(text):
            try:
                at[axis] = self._value(digits)
            except ValueError:
                self._note(number, f"“{digits[:20]}” is no coordinate.")
        self._at = at["X"], at["Y"]
        return self._at

    def _value(self, text: str) -> float:
        if "." in text:
            return float(text) * self.unit
        sign, digits = (-1.0 if text.startswith("-") else 1.0), text.lstrip("+-")
        whole, part = self.digits
        if not self.trailing:  # leading zeros are kept, those behind left out
            digits = digits.ljust(whole + part, "0")
        return sign * float(digits) / 10**part * self.unit

    def _slot(self, start: tuple[float, float], end: tuple[float, float]) -> None:
        far = float(np.hypot(end[0] - start[0], end[1] - start[1]))
        count = max(int(np.ceil(far / max(ALONG * self._tool, 0.05))), 1)
        for t in np.linspace(0, 1, count + 1):
            self._add(start[0] + t * (end[0] - start[0]), start[1] + t * (end[1] - start[1]), False)

    def _add(self, x: float, y: float, plated: bool = True) -> None:
        if self._tool > 0:
            self.found.append((x, y, self._tool, float(self.plated and plated)))


def _plated(path: Path, text: str) -> bool:
    found = re.search(r"TF\.FileFunction,(NonPlated|Plated)", text)
    if found:
        return found.group(1) == "Plated"
    return not re.search(r"npth|non.?plated", path.name, re.I)
