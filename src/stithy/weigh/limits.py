"""Margins: limit minus value, for every bound of a layout's watches."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

from ..read import shown
from ..read.band import Bands
from ..read.watches import Watched

#: where no band is known, what a value may be off: of the way from the reference to the bound, as bands on grids of the
#: usual detail are (docs/physics.md)
UNBANDED = 0.01
MEETS, FAILS, CLOSE = "meets", "fails", "too close to call"


@dataclass(frozen=True)
class Bound:
    """A bound (SI) of a watch, from above or (``least``) from below; ``of``: what the watch is of, first."""

    name: str
    quantity: str
    of: str
    most: float
    least: bool
    measured: str


@dataclass(frozen=True)
class Margin:
    """A limit with its value (None without a result) and the ``band`` it may be off (None: not known), SI, temperatures
    K; ``spot`` m, or None."""

    bound: Bound
    value: float | None
    reference: float
    spot: tuple[float, float, float] | None = None
    band: float | None = None
    on_grid: float | None = None

    @property
    def verdict(self) -> str:
        """:data:`MEETS`, :data:`FAILS`, :data:`CLOSE` where the band holds the limit (without one: where the margin is
        less than :data:`UNBANDED`), or "" without a value."""
        if self.margin is None:
            return ""
        if abs(self.margin) < (UNBANDED * abs(self.bound.most - self.reference) if self.band is None else self.band):
            return CLOSE
        return MEETS if self.margin >= 0 else FAILS

    @property
    def margin(self) -> float | None:
        """Limit minus value; of a bound from below value minus limit."""
        if self.value is None:
            return None
        return self.value - self.bound.most if self.bound.least else self.bound.most - self.value

    def way(self, value: float) -> float:
        """Where a value stands between the reference (0: ambient, or nothing) and the bound (1). Where the bound lies
        at the reference or on its other side (a part kept below ambient): 1 less the margin over how far these are
        apart."""
        span = self.bound.most - self.reference
        if span > 0:
            return (value - self.reference) / span
        left = value - self.bound.most if self.bound.least else self.bound.most - value
        return 1.0 - left / (abs(span) or max(abs(value - self.reference), 1e-300))

    @property
    def share(self) -> float:
        """How much of the way to the limit is used (:meth:`way`); 1 is at the limit, more is beyond. Of a bound from
        below: the bound over the value, and where it is broken 1 more than what is missing of it."""
        if self.value is None:
            return 0.0
        span, above = self.bound.most - self.reference, self.value - self.reference
        if self.bound.least and span > 0:
            return span / above if above > span else 2.0 - above / span
        return self.way(self.value)

    @property
    def reach(self) -> float:
        """How far its band moves :attr:`share` either way."""
        if self.value is None or not self.band:
            return 0.0
        low, high = (replace(self, value=self.value + way * self.band).share for way in (-1.0, 1.0))
        return 0.5 * abs(high - low)

    @property
    def along(self) -> float:
        """Where its value stands on the way to the bound; 0 without one."""
        return 0.0 if self.value is None else self.way(self.value)

    @property
    def difference(self) -> str:
        """The dimension of differences of its values."""
        return "temperature difference" if self.bound.measured == "temperature" else self.bound.measured

    @property
    def unit(self) -> str:
        """Unit of differences, as it is printed."""
        return shown.symbol(self.difference)

    def value_text(self, value: float | None = None) -> str:
        """Its value (or another one) in the unit shown, without that."""
        value = self.value if value is None else value
        return "no result" if value is None else shown.beside(value, self.band, self.bound.measured)

    def band_words(self) -> str:
        """ " ± 2.1" in the unit shown, or nothing where no band is known."""
        if self.band is None or self.value is None:
            return ""
        return f" ± {shown.band(self.band, self.bound.measured)}"

    def bound_text(self, with_unit: bool = True) -> str:
        """Its bound in the unit shown."""
        text = shown.number(float(shown.convert(self.bound.most, self.bound.measured)))
        return f"{text} {shown.symbol(self.bound.measured)}".rstrip() if with_unit else text

    def margin_text(self, sign: str = "+") -> str:
        """Its margin in the unit shown, with its sign."""
        if self.margin is None:
            return ""
        x = shown.span(self.margin, self.difference)
        told = f"{x:{sign}.1f}" if self.difference.startswith(("temperature", "pressure")) else f"{x:{sign}.3g}"
        return f"{told} {self.unit}".rstrip()


def margins(summary: dict | None, watches: Sequence[Watched], ambient: float) -> list[Margin]:
    """The bounds of a layout's watches, worst first; those without a value (no result yet, or one whose heat balance is
    open) last."""
    valid = summary is None or Bands(summary).valid
    out: list[Margin] = []
    for x in watches:
        warm = x.dimension == "temperature"
        banded = x.banded if valid or not warm else None
        for most, least in ((x.watch.most, False), (x.watch.least, True)):
            if most is None:
                continue
            bound = Bound(x.watch.name, x.watch.quantity, x.watch.of[0] if x.watch.of else "", most, least, x.dimension)
            value, band, on_grid = (banded.value, banded.band, banded.on_grid) if banded else (None, None, None)
            out.append(Margin(bound, value, ambient if warm else 0.0, x.place if banded else None, band, on_grid))
    return sorted(out, key=lambda m: (m.value is None, -m.share))
