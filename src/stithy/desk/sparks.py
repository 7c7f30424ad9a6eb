"""How a value has gone since a run began: a small curve in the ledger's cell, with the limit where it is near."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPen, QPolygonF

from . import look
from .session import Session

#: points drawn at most; px free around; times the curve's own range within which a limit is drawn
POINTS, EDGE, REACH = 60, 6.0, 1.5


def course(session: Session, row) -> np.ndarray | None:
    """What a part or a watch came to (SI) in the run that is on, or was on last; None where nothing is known."""
    state = session.run_state
    if state.layout != session.layout or session.stage != "Run":
        return None
    if row.kind == "watch":
        values = [found[row.name] for _, found in state.followed if row.name in found]
    elif row.name in state.watches:
        at = state.watches.index(row.name)
        phase = state.history[-1].phase if state.history else ""
        values = [h.watches[at] for h in state.history if h.phase == phase and len(h.watches) > at]
    else:
        return None
    found = np.array(values, float)
    return found if len(found) > 1 and np.isfinite(found).all() else None


def draw(painter: QPainter, rect: QRectF, values: np.ndarray, limit: float | None, least: bool = False) -> None:
    """The curve in a cell; over its limit in the colour of what fails. ``least``: the limit is one from below."""
    kept = values[np.unique(np.linspace(0, len(values) - 1, POINTS).astype(int))]
    low, high = float(kept.min()), float(kept.max())
    span = max(high - low, 1e-9 * max(abs(high), 1.0))
    near = limit is not None and low - REACH * span <= limit <= high + REACH * span
    if near and limit is not None:
        low, high = min(low, limit), max(high, limit)
    span = max(high - low, 1e-9 * max(abs(high), 1.0))
    box = rect.adjusted(EDGE, EDGE, -EDGE, -EDGE)
    x = np.linspace(box.left(), box.right(), len(kept))
    y = box.bottom() - (kept - low) / span * box.height()
    over = limit is not None and (kept[-1] < limit if least else kept[-1] > limit)
    painter.save()
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    if near and limit is not None:
        at = box.bottom() - (limit - low) / span * box.height()
        painter.setPen(QPen(QColor(look.INK2), 0.8))
        painter.drawLine(QPointF(box.left(), at), QPointF(box.right(), at))
    ink = QColor(look.EMBER if over else look.SLATE)
    painter.setPen(QPen(ink, 1.5))
    painter.drawPolyline(QPolygonF([QPointF(a, b) for a, b in zip(x, y, strict=True)]))
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(ink)
    painter.drawEllipse(QPointF(x[-1], y[-1]), 2.0, 2.0)
    painter.restore()


def limit_of(session: Session, row) -> tuple[float | None, bool]:
    """The bound (SI) of a row's watch, and whether it is one from below."""
    margin = next((m for m in session.standing().margins if row.name in (m.bound.name, m.bound.of)), None)
    return (margin.bound.most, margin.bound.least) if margin is not None else (None, False)
