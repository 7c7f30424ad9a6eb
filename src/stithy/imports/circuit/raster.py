"""Shapes of a layer drawn on pixels by the rule of their centres, exact along every row; holes; shares by block."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numba import njit

from .plot import Shapes


@dataclass(frozen=True)
class Frame:
    """Where pixels lie: low corner (mm), ``pitch`` (mm), and how many along x and y."""

    x: float
    y: float
    pitch: float
    count: tuple[int, int]

    def centres(self) -> tuple[np.ndarray, np.ndarray]:
        """Middles of the pixels along x and y (mm)."""
        nx, ny = self.count
        return self.x + (np.arange(nx) + 0.5) * self.pitch, self.y + (np.arange(ny) + 0.5) * self.pitch


def draw(shapes: Shapes, frame: Frame) -> np.ndarray:
    """Pixels (x, y) bool that are copper, shapes drawn one after the other."""
    out = np.zeros(frame.count[::-1], np.uint8)
    _draw(shapes.kind, shapes.data, shapes.dark, shapes.corners, frame.x, frame.y, frame.pitch, out)
    return np.ascontiguousarray(out.T).astype(bool)


@njit(cache=True, boundscheck=False)
def _draw(kind, data, dark, corners, x0, y0, h, out):
    ny, nx = out.shape
    crossed = np.empty(4096)
    for m in range(len(kind)):
        value = np.uint8(1) if dark[m] else np.uint8(0)
        if kind[m] == 0:
            x1, y1, x2, y2, r = data[m]
            lo = max(int(np.ceil((min(y1, y2) - r - y0) / h - 0.5)), 0)
            hi = min(int(np.floor((max(y1, y2) + r - y0) / h - 0.5)), ny - 1)
            for j in range(lo, hi + 1):
                a, b = _span(x1, y1, x2, y2, r, y0 + (j + 0.5) * h)
                _row(out, j, a, b, x0, h, nx, value)
            continue
        first, count = int(data[m, 0]), int(data[m, 1])
        low = high = corners[first, 1]
        for c in range(first, first + count):
            low, high = min(low, corners[c, 1]), max(high, corners[c, 1])
        for j in range(
            max(int(np.ceil((low - y0) / h - 0.5)), 0), min(int(np.floor((high - y0) / h - 0.5)), ny - 1) + 1
        ):
            y, n, begin = y0 + (j + 0.5) * h, 0, first
            for c in range(first, first + count):
                last = c + 1 == first + count or corners[c + 1, 2] != corners[c, 2]
                d = begin if last else c + 1
                ya, yb = corners[c, 1], corners[d, 1]
                if (ya <= y) != (yb <= y) and n < len(crossed):
                    crossed[n] = corners[c, 0] + (y - ya) / (yb - ya) * (corners[d, 0] - corners[c, 0])
                    n += 1
                if last:
                    begin = c + 1
            xs = np.sort(crossed[:n])
            for q in range(0, n - 1, 2):
                _row(out, j, xs[q], xs[q + 1], x0, h, nx, value)


@njit(cache=True)
def _row(out, j, a, b, x0, h, nx, value):
    if b < a:
        return
    for i in range(max(int(np.ceil((a - x0) / h - 0.5)), 0), min(int(np.floor((b - x0) / h - 0.5)), nx - 1) + 1):
        out[j, i] = value


@njit(cache=True)
def _span(x1, y1, x2, y2, r, y):
    """Where a row crosses a stroke with round ends."""
    low, high = 1e30, -1e30
    for x, c in ((x1, y1), (x2, y2)):
        rest = r * r - (y - c) * (y - c)
        if rest >= 0:
            w = np.sqrt(rest)
            low, high = min(low, x - w), max(high, x + w)
    dx, dy = x2 - x1, y2 - y1
    length = np.sqrt(dx * dx + dy * dy)
    if length > 1e-12:  # the straight body: corners of its rectangle
        nx, ny = -dy / length * r, dx / length * r
        px = (x1 + nx, x2 + nx, x2 - nx, x1 - nx)
        py = (y1 + ny, y2 + ny, y2 - ny, y1 - ny)
        for q in range(4):
            p = (q + 1) % 4
            if (py[q] <= y) != (py[p] <= y):
                x = px[q] + (y - py[q]) / (py[p] - py[q]) * (px[p] - px[q])
                low, high = min(low, x), max(high, x)
    return low, high


def inside(loops, frame: Frame) -> np.ndarray:
    """Pixels (x, y) bool within the first loop (n, 2; mm) and none of the others."""
    rings = [np.column_stack([loop, np.full(len(loop), float(m))]) for m, loop in enumerate(loops)]
    corners = np.concatenate(rings)
    data = np.array([[0.0, len(corners), 0.0, 0.0, 0.0]])
    return draw(Shapes(np.ones(1, np.int8), data, np.ones(1, bool), corners), frame)


def shares(pixels: np.ndarray, times: int) -> np.ndarray:
    """Means of blocks of ``times`` pixels; those beyond the end count as none."""
    nx, ny = (-(-n // times) for n in pixels.shape)
    whole = np.zeros((nx * times, ny * times), np.float32)
    whole[: pixels.shape[0], : pixels.shape[1]] = pixels
    return whole.reshape(nx, times, ny, times).mean(axis=(1, 3))
