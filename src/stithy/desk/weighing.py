"""Benches side by side in Weigh: two to four layouts with one camera, and the difference of two."""

from __future__ import annotations

from typing import Any

from .bench import Bench
from .session import Session

#: layouts beside the shown and the compared one
MORE = 2


class Weighing:
    """Part of the window; see there for its attributes."""

    session: Session
    bench: Bench
    second: Bench | None
    others: list[Bench]
    benches: Any
    cards: Any
    pages: dict[str, Any]
    ledger: Any
    rail: Any
    _side_by_side: int

    def compare(self, layout: str):
        """Put a layout beside the shown one."""
        if layout == self.session.layout:
            return
        self.session.compared = layout
        self.cards.rebuild()
        if self.session.stage != "Weigh":
            self.session.choose_stage("Weigh")
        self._second_bench(True)

    def _second_bench(self, wanted: bool):
        names = [x.name for x in self.session.document.layouts if x.name != self.session.layout]
        if not wanted or not names:
            for bench in filter(None, (self.second, *self.others)):
                bench.hide()
            self.bench.heading.hide()
            return
        if self.session.compared not in names:
            solved = [n for n in names if self.session.standing(n).summary]
            self.session.compared = (solved or names)[0]
        if self.second is None:
            self.second = self._bench_beside()
        self.second.layout_name = self.session.compared
        self.second.show()
        self.bench.heading.show()
        self._other_benches(names)
        count = 2 + sum(1 for b in self.others if not b.isHidden())
        self.benches.setSizes([1000] * self.benches.count())
        if count != self._side_by_side:
            self._side_by_side = count
            self.fold_ledger(count > 2)
            self.bench._first = True  # the view's shape changes, so look at the whole model anew
        self._second_refresh()

    def _bench_beside(self) -> Bench:
        """One more bench that looks with the same camera."""
        made = Bench(self.session, self.session.compared, title=True)
        made.view.camera = self.bench.view.camera
        made._first = False
        every = [b for b in (self.bench, self.second, *self.others) if b is not None]
        for other in every:
            other.partners.append(made)
            made.partners.append(other)
            for source, target in ((other, made), (made, other)):
                source.view.iren.add_observer(
                    "InteractionEvent", lambda *_, t=target: t.isVisible() and t.view.render()
                )
        self.benches.addWidget(made)
        return made

    def _other_benches(self, names: list[str]) -> None:
        """Benches of further layouts, and that of the difference."""
        s = self.session
        s.more = tuple(n for n in s.more if n in names and n != s.compared)[:MORE]
        wanted = [(n, "") for n in s.more] + ([(s.compared, s.layout)] if s.difference else [])
        while len(self.others) < len(wanted):
            self.others.append(self._bench_beside())
        for bench, what in zip(self.others, [*wanted, *[None] * len(self.others)], strict=False):
            bench.setVisible(what is not None)
            if what is not None:
                bench.layout_name, bench.minus = what

    def compare_more(self, layout: str):
        """Put one more layout beside those compared, or take it away again."""
        s = self.session
        if layout in s.more:
            s.more = tuple(n for n in s.more if n != layout)
        elif layout not in (s.layout, s.compared):
            s.more = (*s.more, layout)[-MORE:]
        if s.stage != "Weigh":
            s.choose_stage("Weigh")
        self._second_bench(True)

    def fold_ledger(self, on: bool) -> None:
        """Give the ledger's room to the benches, or take it back."""
        self.ledger.setVisible(not on)
        self.rail.setText("›" if on else "‹")

    def switch_difference(self):
        """Show what the compared layout has more or less than the shown one, or no more."""
        self.session.difference = not self.session.difference
        self.pages["Comparison"].differ.setChecked(self.session.difference)
        if self.session.stage != "Weigh":
            self.session.choose_stage("Weigh")
        self._second_bench(True)

    def flip(self):
        """Show the compared layout in the place of the shown one, and the other way round."""
        s = self.session
        names = [x.name for x in s.document.layouts if x.name != s.layout]
        other = s.compared if s.compared in names else next(iter(names), "")
        if other:
            s.compared, shown = s.layout, other
            s.choose_layout(shown)
            if s.stage == "Weigh":
                self._second_bench(True)

    def _second_refresh(self):
        if self.second is None or not self.second.isVisible() or self.session.stage != "Weigh":
            return
        if self.session.compared == self.session.layout:
            self._second_bench(True)
            return
        for bench in (self.second, self.bench, *(b for b in self.others if b.isVisible())):
            if bench.minus:
                bench.layout_name, bench.minus = self.session.compared, self.session.layout
            bench.refresh()
