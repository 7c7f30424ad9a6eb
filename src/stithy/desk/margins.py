"""Margins: a tile per limit, worst first; below, how far the result can be trusted."""

from __future__ import annotations

from dataclasses import replace

from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QBrush, QColor, QPainter, QPen, QPolygonF
from PyQt6.QtWidgets import QLabel, QPushButton, QScrollArea, QVBoxLayout, QWidget

from ..read import shown
from ..weigh.limits import CLOSE, FAILS, MEETS
from . import look
from .session import Session
from .tables import empty

#: strokes of the mark that stands before each verdict, in a square of side 1
MARKS = {
    MEETS: [(0.1, 0.55), (0.4, 0.85), (0.9, 0.15)],
    CLOSE: [(0.0, 0.55), (0.2, 0.35), (0.4, 0.5), (0.6, 0.65), (0.8, 0.5), (1.0, 0.4)],
    FAILS: [(0.15, 0.15), (0.85, 0.85), (0.5, 0.5), (0.85, 0.15), (0.15, 0.85)],
}


def draw_mark(p: QPainter, verdict: str, x: float, y: float, size: float = 8.0) -> None:
    """The mark of a verdict, drawn with the pen in use."""
    points = [QPointF(x + size * a, y + size * b) for a, b in MARKS.get(verdict, [])]
    if points:
        p.drawPolyline(QPolygonF(points))


#: limits shown at most, and how many of more stay
MOST, WORST = 8, 6
#: limits from which on notes are folded
FEW = 4


class Tile(QWidget):
    """One limit: value, bound, a bar from ambient to the limit, ticks for the layouts compared."""

    pressed = pyqtSignal(object)

    def __init__(self, margin, others, live=None, foretold=None):
        super().__init__()
        self.margin, self.others, self.live, self.foretold = margin, others, live, foretold
        self.setFixedHeight(56)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        text = f"{margin.bound.name}: {self.value_text()}{self.band_text()} of {self.bound_text()}"
        if self.verdict():
            text += f", {self.verdict()}"
        if margin.on_grid is not None and margin.band is not None:
            text += (
                f"\n{margin.value_text(margin.on_grid)} on this grid; the value is carried on to ever finer ones, "
                "the band tells how far it may be off"
            )
        if foretold is not None:
            text += f"\n{self._foretold_words()}"
        self.setToolTip(text + ("\nclick to fly to its hottest place" if margin.spot else ""))
        self.setAccessibleName(text)

    def mousePressEvent(self, event):  # noqa: N802
        self.pressed.emit(self.margin)

    def keyPressEvent(self, event):  # noqa: N802
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Space):
            self.pressed.emit(self.margin)

    def _foretold_words(self) -> str:
        """The estimate, and after a solve how far it was off."""
        value, band = self.foretold
        told = self.margin.value_text(value)
        said = f"estimate before any solve: {told} ± {shown.band(band, self.margin.bound.measured)}"
        if self.margin.value is None:
            return said
        off = value - self.margin.value
        words = shown.text(abs(off), self.margin.difference, 2)
        return f"{said}, {words} {'above' if off > 0 else 'below'} what was solved"

    @property
    def guessed(self) -> bool:
        """Whether only an estimate is known."""
        return self.live is None and self.margin.value is None and self.foretold is not None

    def value(self):
        """The live value while a run is on, else the stored one (K or Pa)."""
        if self.guessed:
            return self.foretold[0]
        return self.live if self.live is not None else self.margin.value

    def value_text(self) -> str:
        """The value as shown."""
        told = look.minus(self.margin.value_text(self.value()))
        return f"△ {told}" if self.guessed else told

    def band_text(self) -> str:
        """The band as shown beside a stored value or an estimate."""
        if self.guessed:
            return f" ± {shown.band(self.foretold[1], self.margin.bound.measured)}"
        return self.margin.band_words() if self.live is None else ""

    def verdict(self) -> str:
        """The verdict on a stored value; of a live one nothing is said."""
        return self.margin.verdict if self.live is None else ""

    def bound_text(self) -> str:
        """The bound with its unit."""
        return ("≥ " if self.margin.bound.least else "") + self.margin.bound_text()

    def paintEvent(self, event):  # noqa: N802
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        m, w, v = self.margin, self.width(), self.value()
        share = m.way(v) if v is not None else 0.0
        verdict = self.verdict()
        beyond = v is not None and (v < m.bound.most if m.bound.least else v > m.bound.most)
        over = verdict == FAILS if verdict else beyond and not self.guessed
        p.setFont(look.font(13, 500))
        p.setPen(QColor(look.INK))
        right = f" / {self.bound_text()}"
        p.setFont(look.font(13, 400))
        right_w = p.fontMetrics().horizontalAdvance(right)
        p.drawText(QRectF(0, 2, w, 18), Qt.AlignmentFlag.AlignRight, right)
        p.setFont(look.font(13, 600))
        p.setPen(QColor(look.EMBER if over else look.INK))
        value_w = p.fontMetrics().horizontalAdvance(self.value_text())
        p.setPen(QColor(look.INK2))
        p.setFont(look.font(12, 400))
        band = self.band_text()
        band_w = p.fontMetrics().horizontalAdvance(band)
        p.drawText(QRectF(0, 2, w - right_w, 18), Qt.AlignmentFlag.AlignRight, band)
        p.setFont(look.font(13, 600))
        p.setPen(QColor(look.EMBER if over else look.INK))
        p.drawText(QRectF(0, 2, w - right_w - band_w, 18), Qt.AlignmentFlag.AlignRight, self.value_text())
        value_w += band_w
        p.setPen(QColor(look.INK))
        p.setFont(look.font(13, 400))
        name = p.fontMetrics().elidedText(m.bound.name, Qt.TextElideMode.ElideRight, w - right_w - value_w - 8)
        p.drawText(QRectF(0, 2, w, 18), Qt.AlignmentFlag.AlignLeft, name)
        full = w / 1.12
        bar = QRectF(0, 24, w, 8)
        p.fillRect(bar, QColor(look.HAIR))
        fill = QRectF(0, 24, 0.0 if self.guessed else min(max(share, 0.0), 1.12) * full, 8)
        if self.foretold is not None:
            self._draw_foretold(p, full)
        p.fillRect(
            fill, QColor(look.EMBER if over else look.STRAW if share > 0.9 and not m.bound.least else look.SLATE)
        )
        if over:
            p.fillRect(fill, QBrush(QColor("#8E3510"), Qt.BrushStyle.BDiagPattern))
        if self.band_text() and not self.guessed:
            low, high = sorted(min(max(m.way(v + s * m.band), 0.0), 1.12) * full for s in (-1, 1))
            p.setPen(QPen(QColor(look.SHEET), 3))
            p.drawLine(QPointF(low, 28), QPointF(high, 28))
            p.setPen(QPen(QColor(look.INK), 1.2))
            p.drawLine(QPointF(low, 28), QPointF(high, 28))
            for x in (low, high):
                p.drawLine(QPointF(x, 25), QPointF(x, 31))
        p.setPen(QPen(QColor(look.INK), 1.4))
        p.drawLine(int(full), 21, int(full), 35)
        if verdict:
            self._say(p, m, verdict, w)
        p.setPen(QPen(QColor(look.INK2), 1))
        for other in self.others:
            if other.value is not None:
                x = int(min(max(other.along, 0.0), 1.12) * full)
                p.drawLine(x, 33, x, 38)
        p.end()

    def _draw_foretold(self, p, full: float) -> None:
        """The estimate: a hatched band while it is all that is known, and a mark under the bar."""
        value, band = self.foretold
        x, *ends = (min(max(self.margin.way(v), 0.0), 1.12) * full for v in (value, value - band, value + band))
        low, high = sorted(ends)
        if self.guessed:
            box = QRectF(low, 24, max(high - low, 2.0), 8)
            p.fillRect(box, QBrush(QColor(look.INK2), Qt.BrushStyle.BDiagPattern))
            limit = min(max(full, low), high)
            if high > limit:
                p.fillRect(QRectF(limit, 24, high - limit, 8), QColor(look.STRAW))
        p.setPen(QPen(QColor(look.INK2), 1))
        p.setBrush(QColor(look.INK2) if self.guessed else QColor(look.SHEET))
        p.drawPolygon(QPolygonF([QPointF(x, 33), QPointF(x - 4, 40), QPointF(x + 4, 40)]))
        p.setBrush(Qt.BrushStyle.NoBrush)

    def _say(self, p, m, verdict, w) -> None:
        """The verdict in a mark and words, and the margin, under the bar."""
        colour = QColor(look.EMBER if verdict == FAILS else look.INK if verdict == CLOSE else look.INK2)
        p.setPen(QPen(colour, 1.4))
        draw_mark(p, verdict, 1, 41)
        p.setFont(look.font(12, 500 if verdict != MEETS else 400))
        p.drawText(QRectF(14, 37, w, 16), Qt.AlignmentFlag.AlignLeft, verdict)
        p.drawText(QRectF(0, 37, w, 16), Qt.AlignmentFlag.AlignRight, look.minus(m.margin_text()))


class Margins(QWidget):
    """All limits of the shown layout and the trust line."""

    fly = pyqtSignal(object)

    def __init__(self, session: Session):
        super().__init__()
        self.session = session
        self.head, self.count = QLabel("Margins, worst first"), QLabel()
        for label in (self.head, self.count):
            label.setProperty("quiet", True)
        self.inner = QWidget()
        self.box = QVBoxLayout(self.inner)
        self.box.setContentsMargins(12, 0, 12, 8)
        self.box.setSpacing(0)
        scroll = QScrollArea()
        scroll.setWidget(self.inner)
        scroll.setWidgetResizable(True)
        scroll.setFrameShape(scroll.Shape.NoFrame)
        scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        scroll.setStyleSheet(f"QScrollArea, QWidget {{ background: {look.SHEET}; }}")
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 10, 0, 0)
        top = QVBoxLayout()
        top.setContentsMargins(12, 0, 12, 0)
        top.setSpacing(0)
        top.addWidget(self.head)
        top.addWidget(self.count)
        whole.addLayout(top)
        whole.addWidget(scroll, 1)
        self.trust = QVBoxLayout()
        self.trust.setContentsMargins(12, 6, 12, 8)
        self.trust.setSpacing(0)
        whole.addLayout(self.trust)
        for event in ("document", "layout", "results", "standings", "estimates"):
            session.on(event, self.rebuild)
        session.on("run", self.follow)
        self.tiles: list[Tile] = []
        self._all = self._notes = False
        self.rebuild()

    def follow(self):
        """Put the live values of a run into the tiles; nothing is built anew."""
        live = self._live()
        for tile in self.tiles:
            value = live.get(tile.margin.bound.of) if tile.margin.bound.quantity == "temperature" else None
            if value != tile.live:
                tile.live = value
                tile.update()

    def _live(self) -> dict:
        state = self.session.run_state
        if self.session.run and state.layout == self.session.layout and state.history:
            return dict(zip(state.watches, state.history[-1].watches, strict=True))
        return {}

    def rebuild(self):
        """Show the limits anew."""
        empty(self.box)
        empty(self.trust)
        standing = self.session.standing()
        others = [self.session.peek(x.name) for x in self.session.document.layouts if x.name != self.session.layout]
        live = self._live()
        foretold = self.session.foretelling.values(standing)
        self.tiles = []
        for m in sorted(standing.margins, key=lambda m: _rank(m, foretold)):
            same = [o for s in others if s.state == "current" for o in s.margins if o.bound.name == m.bound.name]
            now = live.get(m.bound.of) if m.bound.quantity == "temperature" else None
            tile = Tile(m, same, now, foretold.get(m.bound.name))
            tile.pressed.connect(self.fly)
            self.tiles.append(tile)
            self.box.addWidget(tile)
        self._fold()
        count = {v: sum(1 for m in standing.margins if m.verdict == v) for v in (MEETS, FAILS, CLOSE)}
        met = count[MEETS]
        known = any(m.value is not None for m in standing.margins)
        text = f"{met} of {len(standing.margins)} met" if known else "no result yet"
        if not known and foretold:
            text += "; △ estimate and its band"
        elif not known and (why := self.session.foretelling.reason(standing)):
            text += f"; {why[0].lower()}{why[1:]}"
        text += "".join(f", {count[v]} {words}" for v, words in ((FAILS, "failed"), (CLOSE, CLOSE)) if count[v])
        stale = known and standing.state == "out of date"
        if standing.problems:
            text = "settle what is marked first"
        elif not standing.margins:
            text = "no limits: give components a limit in Load"
        self.count.setText(text + (", out of date" if stale else ""))
        self.count.setProperty("warn", stale or count[FAILS] > 0)
        self.count.setProperty("quiet", not self.count.property("warn"))
        self.count.style().polish(self.count)
        self.box.addStretch(1)
        lines = trust_lines(standing) or estimate_lines(self.session.foretelling.of(standing))
        notes = [x for x in lines if x[0] == "note"]
        for left, right, why in (x for x in lines if x[0] != "note"):
            self.trust.addWidget(_line(left, right, why))
        folds = len(self.tiles) > FEW and len(notes) > 1
        for left, right, why in notes if self._notes or not folds else ():
            self.trust.addWidget(_line(left, right, why))
        if folds:
            self._button(self.trust, "fewer words" if self._notes else f"{len(notes)} notes", "_notes")

    def _fold(self) -> None:
        """Of many limits the worst stay, and a button shows the others."""
        rest = self.tiles[WORST:] if len(self.tiles) > MOST else []
        for tile in rest:
            tile.setVisible(self._all)
        if rest:
            self._button(self.box, "only the worst" if self._all else f"{len(rest)} more", "_all")

    def _button(self, where, words: str, what: str) -> None:
        """A quiet line that shows more, or less again."""

        def toggle() -> None:
            setattr(self, what, not getattr(self, what))
            self.rebuild()

        button = QPushButton(words)
        button.setStyleSheet(f"border: 0; text-align: left; padding: 2px; font-size: 12px; color: {look.TEAL};")
        button.clicked.connect(toggle)
        where.addWidget(button)


def _rank(margin, foretold: dict) -> float:
    """Worst first: by the value, or by the estimate where there is none; what nothing is known of last."""
    if margin.value is None and margin.bound.name in foretold:
        return -replace(margin, value=foretold[margin.bound.name][0]).share
    return -margin.share if margin.value is not None else 0.0


def estimate_lines(estimate) -> list[tuple[str, str, str]]:
    """(words, value, explanation) of an estimate, where nothing is solved yet."""
    if estimate is None:
        return []
    out = [
        (f"△ {name}", shown.text(abs(rate), "volume flow", 3), "volume flow by the estimate")
        for name, rate in estimate.openings.items()
        if rate
    ]
    out += [
        (f"△ {name}", f"{shown.text(q, 'volume flow', 3)}, {shown.text(rise, 'pressure', 2)}", "fan by the estimate")
        for name, (q, rise) in estimate.fans.items()
    ]
    out.append(("estimate", f"{estimate.seconds:.1f} s", "a coarse network with films by correlation; run it to know"))
    return out + [("note", n, "") for n in estimate.notes]


def trust_lines(standing) -> list[tuple[str, str, str]]:
    """(words, value, explanation) of the trust line of a standing's result."""
    s = standing.summary
    if s is None:
        return []
    out = [
        *_heat_lines(s),
        (
            "mass imbalance",
            f"{s['trust']['mass_imbalance']:.0e}".replace("-0", "−").replace("-", "−"),
            "net outflow of all cells over the through-flow",
        ),
        (
            "grid",
            f"{s['cells'] / 1e3:.3g} k cells",
            "cells of the grid"
            + (
                f"; a second one of {s['coarse']['cells']:,} cells tells the bands".replace(",", " ")
                if s.get("coarse")
                else "; no second grid was solved, so no bands are known"
            ),
        ),
        ("run", f"{s['iterations']} its, {s['seconds']:.0f} s", "iterations and time of the run"),
        ("settled", "yes" if s["settled"] else "no", "watches, residual and balances are within their bounds"),
    ]
    piece = getattr(standing.model, "piece", None)
    if piece is not None:
        inlet = sum(max(e["mass_flow"], 0.0) for e in s["ends"].values())
        whole = f"of the whole {shown.text(s['heat_load'] * piece.times, 'power')}"
        whole += f" and {shown.text(inlet * piece.times, 'mass flow')}" if inlet else ""
        out.append(("piece", f"1 of {piece.times:.4g}", f"{whole}; assumed: {piece.assumed or 'nothing'}"))
    return out + [("note", n, "") for n in s["trust"]["notes"]]


def _heat_lines(s: dict) -> list[tuple[str, str, str]]:
    """What the heat balance of a result shows: heat that leaves over the load; without a load what streams take."""
    load, left = abs(s["heat_load"]), abs(s["heat_imbalance"])
    if load > 1e-9:
        closed = f"{100 * (1 - left / load):.2f} %"
        return [("heat out of heat in", closed, "heat that leaves, over the heat load")]
    rows = s.get("heat_path", [])
    takers = {r["to"] for r in rows}
    passed = sum(r["heat"] for r in rows if r["from"] not in takers)
    out = [("heat passed on", shown.text(passed, "power"), "what comes in with hot streams and walls")] if rows else []
    closed = f"{100 * left / passed:.2g} %" if passed > 1e-9 else shown.text(left, "power", 2)
    return [*out, ("heat left over", closed, "what the energy balance does not close by")]


def _line(left, right, why) -> QLabel:
    if left == "note":
        label = QLabel(right)
        label.setWordWrap(True)
    else:
        label = QLabel(f'<table width="100%"><tr><td>{left}</td><td align="right">{right}</td></tr></table>')
    label.setProperty("quiet", True)
    label.setToolTip(why)
    return label
