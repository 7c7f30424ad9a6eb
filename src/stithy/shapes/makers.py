"""Parametric solids as boxes. Lengths in m; a box is three (low, high) pairs."""

from __future__ import annotations

from .geometry import Box


def box(at, size) -> Box:
    """A box from its low corner and size."""
    return tuple((a, a + s) for a, s in zip(at, size, strict=True))


def inset(outer: Box, wall: float) -> Box:
    """The box inside walls of one thickness."""
    return tuple((a + wall, b - wall) for a, b in outer)


def slabs(outer: Box, inner: Box) -> tuple[Box, ...]:
    """Six boxes that fill ``outer`` outside ``inner`` without overlap; empty when there is no wall."""
    (x0, x1), (y0, y1), (z0, z1) = inner
    if outer == inner:
        return ()
    ox, oy, oz = outer
    return (
        (ox, oy, (oz[0], z0)),
        (ox, oy, (z1, oz[1])),
        (ox, (oy[0], y0), (z0, z1)),
        (ox, (y1, oy[1]), (z0, z1)),
        ((ox[0], x0), (y0, y1), (z0, z1)),
        ((x1, ox[1]), (y0, y1), (z0, z1)),
    )


def _stand(at, size, base: float, up: str) -> tuple[Box, tuple[float, float], int]:
    """Base plate, the fins' stretch along the direction ``up``, and that direction's axis."""
    axis = "xyz".index(up[0])
    whole = box(at, size)
    low, high = whole[axis]
    plate = list(whole)
    if up[1] == "+":
        plate[axis], reach = (low, low + base), (low + base, high)
    else:
        plate[axis], reach = (high - base, high), (low, high - base)
    return tuple(plate), reach, axis


def plate_fins(at, size, base: float, fins: int, thickness: float, along: str, up: str) -> tuple[Box, ...]:
    """A base plate and ``fins`` plates, the outer ones flush with the base, channels running ``along``."""
    plate, reach, up_axis = _stand(at, size, base, up)
    across = 3 - up_axis - "xyz".index(along)
    low, high = plate[across]
    pitch = (high - low - thickness) / (fins - 1) if fins > 1 else 0.0
    boxes = [plate]
    for m in range(fins):
        start = low + m * pitch if fins > 1 else 0.5 * (low + high - thickness)
        fin = list(plate)
        fin[up_axis], fin[across] = reach, (start, start + thickness)
        boxes.append(tuple(fin))
    return tuple(boxes)


def pin_fins(at, size, base: float, pins: tuple[int, int], side: float, up: str) -> tuple[Box, ...]:
    """A base plate and a grid of square pins, the outer ones flush with the base."""
    plate, reach, up_axis = _stand(at, size, base, up)
    first, second = (a for a in range(3) if a != up_axis)

    def starts(axis, n):
        low, high = plate[axis]
        return [0.5 * (low + high - side)] if n == 1 else [low + m * (high - low - side) / (n - 1) for m in range(n)]

    boxes = [plate]
    for p in starts(first, pins[0]):
        for q in starts(second, pins[1]):
            pin = list(plate)
            pin[up_axis], pin[first], pin[second] = reach, (p, p + side), (q, q + side)
            boxes.append(tuple(pin))
    return tuple(boxes)
