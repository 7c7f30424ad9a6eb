"""What a layout's solids come to, in Shape: openings, fluid spaces, faults, touching pairs, leaks; worked out beside
the window, and settled by the press of a button."""

from __future__ import annotations

from collections.abc import Callable
from queue import SimpleQueue
from threading import Thread

from PyQt6.QtCore import QTimer
from PyQt6.QtWidgets import QHBoxLayout, QInputDialog, QLabel, QVBoxLayout, QWidget

from ..api import Project
from ..errors import StithyError
from ..kinds import closing
from ..project import edits, library
from . import look
from .session import Session
from .solids_blocks import Block

#: what can be put on a plate: the menu's words, kind, cells
ENDS = {
    "inlet 1 m/s": ("opening", {"flow": "1 m/s", "name": "Inlet"}),
    "outlet 0 Pa": ("opening", {"flow": "0 Pa", "name": "Outlet"}),
    "opening to ambient": ("opening", {"flow": "ambient", "name": "Opening"}),
    "vent": ("vent", {}),
    "fan": ("wall fan", {}),
}


GAPS = "close all gaps up to ..."
OTHER = "something else ..."


class SolidsPanel(QWidget):
    """Four lists beside each other; a click selects the rows that a line is about, buttons settle it."""

    def __init__(self, session: Session, _compare=None):
        super().__init__()
        self.session, self._done, self._of, self._asked = session, SimpleQueue(), (None, ""), 0
        self.found: dict = {}
        self._past, self._from = [], None
        self.said = QLabel()
        self.said.setProperty("quiet", True)
        self.openings = Block("Opening of", ("size mm", "", "flow"))
        self.spaces = Block("Fluid space", ("filled with", "cm³", "openings"))
        self.faults = Block("Fault of", ("what", ""))
        self.pairs = Block("Touching", ("and", "mm²", "gap mm, filled"))
        self.close_ = self.openings.button("Close all", self._close, "Close with plates that always seal")
        self.put = self.openings.menu("Put on", self._put_on, "What flows through the plate of the chosen opening")
        self.put.fill(list(ENDS))
        self.leave = self.spaces.button("Leave out", self._leave_out, "Not solved; its walls exchange heat with it")
        self.fill = self.spaces.menu("Fill", self._fill, "What fills the chosen fluid space")
        self.leak = self.spaces.button(
            "Show leak", self.find_leak, "Draw the way from behind the plates (or the chosen space) to the outside"
        )
        self.next_leak = self.spaces.button("Next leak", self._next_leak, "With this one stopped, where else it leaks")
        self.close_leak = self.spaces.button("Close it", self._close_leak, "Close the opening that leaks")
        self.accept_leak = self.spaces.button("Accept it", self._accept_leak, "Leave the leak open, with a reason")
        self.next = self.faults.button("Next", self._next_fault, "The next fault, and look at it")
        self.mend = self.faults.menu("Mend", self._mend, "What becomes of open shells, and of narrow gaps")
        self.mend.fill(["fill", "fill all", "sheet 1 mm", GAPS])
        self.remove = self.faults.button("Delete", self._delete, "Delete the last body that the chosen fault names")
        self.accept = self.faults.button("Accept", self._accept, "Leave the chosen fault as it is, with a reason")
        self.contact = self.pairs.menu("Filled with", self._contact, "What fills the joint of the chosen pairs")
        self.contact.fill([*library.interfaces(), OTHER])
        self.pairs.several()
        self.blocks = {"openings": self.openings, "spaces": self.spaces, "faults": self.faults, "pairs": self.pairs}
        self._lay_out()
        self.timer = QTimer(self)
        self.timer.setInterval(120)
        self.timer.timeout.connect(self._poll)
        for event in ("document", "layout", "stage"):
            session.on(event, self.rebuild)

    def _lay_out(self) -> None:
        box = QVBoxLayout(self)
        box.setContentsMargins(12, 2, 12, 6)
        box.setSpacing(2)
        box.addWidget(self.said)
        row = QHBoxLayout()
        row.setSpacing(16)
        box.addLayout(row, 1)
        for block, share in zip(self.blocks.values(), (5, 6, 6, 6), strict=True):
            block.chosen.connect(lambda b=block: self._chosen(b))
            row.addWidget(block, share)
        self._show({})

    def showEvent(self, event):  # noqa: N802
        """What is not seen is not worked out."""
        super().showEvent(event)
        self.rebuild()

    def rebuild(self) -> None:
        """Work the lists out anew, where they can be seen and something has changed."""
        now = self.session.document, self.session.layout
        if not self.isVisible() or now == self._of:
            return
        self._of = now
        self._draw(None)
        self.session.show_space(None)
        standing = self.session.standing()
        if standing.model is None:
            self.said.setText("Settle what is marked first; then openings, fluid spaces and touching pairs are found.")
            self._show({})
            return
        self.said.setText("Looking for openings, fluid spaces, faults and touching pairs")
        self._begin(_look_at, *now)

    def _begin(self, work: Callable, *args) -> None:
        """Work something out beside the window."""
        self._asked += 1
        folder, of = self.session.folder, (args[0], args[1])

        def go() -> None:
            try:
                found = work(Project(args[0], folder), *args[1:])
            except (StithyError, MemoryError) as error:
                found = {"error": str(error)}
            self._done.put((of, found))

        Thread(target=go, daemon=True).start()
        self.timer.start()

    def _poll(self) -> None:
        while not self._done.empty():
            of, found = self._done.get()
            self._asked -= 1
            if of == self._of:
                self._take(found)
        if not self._asked:
            self.timer.stop()

    def _take(self, found: dict) -> None:
        """Show what has been worked out."""
        if "error" in found:
            self.said.setText(found["error"].splitlines()[0])
        elif "leak" in found:
            self._tell_leak(**found)
        elif "cells" in found:
            self.session.show_space(found["cells"])
        else:
            open_ = sum(len(f.rims) for f in found["openings"] if not f.plate)
            matters = sum(f.matters for f in found["faults"])
            self.said.setText(
                f"{_count(open_, 'opening')} to close; {_count(len(found['spaces']), 'fluid space')}; "
                f"{matters} to settle, {len(found['faults']) - matters} harmless; "
                f"{_count(len(found['pairs']), 'touching pair')}."
            )
            self._show(found)
            if tuple(found["openings"]) != self.session.mouths:
                self.session.mouths = tuple(found["openings"])
                self.session.tell("selection")

    def _show(self, found: dict) -> None:
        self.found = found
        got = {name: found.get(name, []) for name in self.blocks}
        numbered = {s.number: f"space {s.number + 1}" for s in got["spaces"]}
        none = "" if not found else "none"
        self.openings.show_lines(
            [
                ((f.of, f.size, ("closed" if f.plate else "open", not f.plate), f.flow or "-"), (f.plate or f.of,))
                for f in got["openings"]
            ],
            none and "no solid has any",
        )
        self.spaces.show_lines(
            [
                ((s.name or numbered[s.number], s.fluid, _number(1e6 * s.volume), _ends(s)), (s.name, *s.parts))
                for s in got["spaces"]
            ],
            none and "no fluid",
        )
        self.faults.show_lines(
            [
                (
                    (
                        (" and ".join(f.bodies), f.matters),
                        f.what.replace("mm3", "mm³").replace("mm2", "mm²"),
                        "settle" if f.matters else "harmless",
                    ),
                    f.bodies,
                )
                for f in got["faults"]
            ],
            none and "nothing wrong with imported solids",
        )
        self.pairs.show_lines(
            [((p.one, p.other, _number(1e6 * p.area), self._joint(p)), (p.one, p.other)) for p in got["pairs"]],
            none and "no parts touch",
        )
        self.fill.fill([*self._own_fluids(), *library.fluid_names()])
        self._enable()

    def _own_fluids(self) -> list[str]:
        return [r.name for r in self.session.document.rows if r.kind == "fluid"]

    def _enable(self) -> None:
        """Buttons that can do something now."""
        open_ = [f for f in self.found.get("openings", ()) if not f.plate]
        chosen = self._line("openings")
        self.close_.setText("Close" if chosen is not None and not chosen.plate else "Close all")
        self.close_.setEnabled(bool(open_))
        self.put.setEnabled(chosen is not None and bool(chosen.plate) and not chosen.flow)
        space = self._line("spaces")
        self.leave.setEnabled(space is not None and not space.name)
        self.fill.setEnabled(space is not None and space.fluid != "left out")
        self.leak.setEnabled(bool(self.found.get("spaces")))
        found = self.session.leak
        for button, wanted in (
            (self.next_leak, found is not None),
            (self.close_leak, found is not None and self.session.leak_opening is not None),
            (self.accept_leak, found is not None and len(found.beside) > 0),
        ):
            button.setVisible(wanted)
            button.setEnabled(wanted)
        faults = self.found.get("faults", ())
        self.next.setEnabled(bool(faults))
        fault = self._line("faults")
        self.remove.setEnabled(fault is not None)
        self.accept.setEnabled(fault is not None and fault.matters)
        self.mend.setEnabled(any("open edges" in f.what or f.gap for f in faults))
        self.contact.setEnabled(self._line("pairs") is not None)

    def _line(self, name: str):
        """What the chosen line of a list is about, or None."""
        row, lines = self.blocks[name].row, self.found.get(name, ())
        return lines[row] if 0 <= row < len(lines) else None

    def _chosen(self, block: Block) -> None:
        for other in self.blocks.values():
            if other is not block:
                other.row = -1
        space = self._line("spaces")
        if space is None or space.fluid == "left out":
            self.session.show_space(None)
        else:
            self._begin(_cells, *self._of, space.point)
        known = {r.name for r in self.session.document.rows_of(self.session.layout)}
        self.session.select(tuple(n for n in block.names if n in known))
        self._enable()

    def _try(self, make) -> None:
        """Apply an edit that may be refused while it is made."""
        try:
            self._do(make())
        except StithyError as error:
            self.said.setText(str(error).splitlines()[0])

    def _do(self, edit, name: str = "") -> None:
        """Apply an edit, select the new row."""
        try:
            self.session.do(edit)
        except StithyError as error:
            self.said.setText(str(error).splitlines()[0])
            return
        if name:
            self.session.select((name,))

    def _close(self) -> None:
        one = self._line("openings")
        some = [one] if one is not None and not one.plate else [f for f in self.found["openings"] if not f.plate]
        self._do(closing.close(*self._of, [(f.of, f.raw, len(f.rims)) for f in some]))

    def _put_on(self, words: str) -> None:
        kind, cells = ENDS[words]
        name, edit = closing.put_on(*self._of, self._line("openings").plate, kind, **cells)
        self._do(edit, name)

    def _leave_out(self) -> None:
        space = self._line("spaces")
        title = "Outside" if space.sides else "Left out"
        name, edit = closing.fill_space(*self._of, space.point, "left out", title)
        self._do(edit, name)

    def _fill(self, fluid: str) -> None:
        space = self._line("spaces")
        if space.name:
            self._do(edits.set_cell(self.session.layout, space.name, "fluid", fluid), space.name)
        else:
            name, edit = closing.fill_space(*self._of, space.point, fluid, fluid.capitalize())
            self._do(edit, name)

    def _next_fault(self) -> None:
        self.faults.step()

    def _mend_gaps(self) -> None:
        """Ask up to which size gaps are closed: beyond the widest that is told."""
        widest = max((f.gap for f in self.found["faults"]), default=0.0)
        begun = f"{1.1e3 * widest:.2g} mm"
        size, ok = QInputDialog.getText(self, "Close gaps", "Gaps between solids up to", text=begun)
        if ok and size.strip():
            self._try(lambda: closing.mend_gaps(*self._of, size.strip()))

    def _mend(self, words: str) -> None:
        if words == GAPS:
            self._mend_gaps()
            return
        fault = self._line("faults")
        shells = [f.bodies[0] for f in self.found["faults"] if "open edges" in f.what]
        chosen = shells if words == "fill all" or fault is None or fault.bodies[0] not in shells else [fault.bodies[0]]
        word = words.removesuffix(" all")
        layout = self.session.layout
        self._do(edits.many("mend open shells", [edits.set_cell(layout, name, "shell", word) for name in chosen]))

    def _delete(self) -> None:
        fault = self._line("faults")
        self._do(edits.delete_row(self.session.layout, fault.bodies[-1], self.session.only_here))

    def _accept(self) -> None:
        fault = self._line("faults")
        about = f"{' and '.join(fault.bodies)} {fault.what} It is left because"
        self._accept_with(about, fault.bodies)

    def _accept_with(self, about: str, bodies) -> None:
        """Ask for the reason why what is about some solids is left as it is."""
        reason, ok = QInputDialog.getText(self, "Accept", about)
        if ok and reason.strip():
            name = edits.free_name(self.session.document, f"{bodies[0][:40]} accepted")
            row = closing.accepted_row(name, bodies, reason.strip())
            self._do(edits.add_row(self.session.layout, row), name)

    def _accept_leak(self) -> None:
        beside = self.session.leak.beside
        self._accept_with(f"The leak beside {' and '.join(beside)} is left open because", beside[:2])

    def _joint(self, pair) -> str:
        """Gap of a pair that only nearly touches, and what fills its joint, as its row says."""
        row = closing.fillings(self.session.document, self.session.layout).get(frozenset((pair.one, pair.other)))
        return ", ".join(x for x in (_gap(pair.gap), row.text("resistance") if row is not None else "") if x)

    def _contact(self, filled: str) -> None:
        pairs = self.found.get("pairs", ())
        chosen = [(pairs[r].one, pairs[r].other) for r in self.pairs.rows if r < len(pairs)]
        if filled == OTHER:
            filled, ok = QInputDialog.getText(
                self, "Filled with", "A resistance, a layer, or a name with its thickness", text="0.1 mm, 1.5 W/m/K"
            )
            if not ok:
                return
        session = self.session
        self._do(closing.joined(session.document, session.layout, chosen, filled, session.only_here), "")

    def find_leak(self) -> None:
        """Look for the way from behind the plates, or from the chosen space, to the outside, and draw it."""
        space = self._line("spaces")
        self._past, self._from = [], space.point if space is not None and not space.sides else None
        self.said.setText("Looking for the way out")
        self._begin(_find, *self._of, self._from, ())

    def _next_leak(self) -> None:
        """With the leak that is shown stopped, the next."""
        if self.session.leak is not None:
            self._past.append(self.session.leak)
        self.said.setText("Looking for another way out")
        self._begin(_find, *self._of, self._from, tuple(self._past))

    def _tell_leak(self, leak, opening) -> None:
        self.session.leak_opening = opening
        self._draw(leak)
        self._enable()
        if leak is None:
            but = f" but for the {_count(len(self._past), 'leak')} before" if self._past else ""
            self.said.setText(f"No leak{but}: what lies behind the plates is closed in.")
            return
        where = look.minus(", ".join(f"{1e3 * x:.4g}" for x in leak.place))
        size = f"{1e3 * leak.width:.3g} mm" + (", narrower than the cells there" if leak.below_grid else "")
        beside = " and ".join(leak.beside) or "the sides"
        what = f"opening {opening.size} mm of {opening.of}, not closed" if opening else f"gap beside {beside}"
        reason = closing.accepted(self.session.document, self.session.layout).get(frozenset(leak.beside[:2]))
        accepted = f" Accepted: {reason}" if reason else ""
        self.said.setText(f"Leaks at {where} mm: {what}; {size} at its narrowest.{accepted}")

    def _close_leak(self) -> None:
        opening = self.session.leak_opening
        self._do(closing.close(*self._of, [(opening.of, opening.raw, len(opening.rims))]))

    def _draw(self, leak) -> None:
        if leak is None:
            self.session.leak_opening = None
        if leak is not self.session.leak:
            self.session.leak = leak
            self.session.tell("selection")


def _look_at(project: Project, layout: str) -> dict:
    return {
        "openings": project.openings(layout),
        "spaces": project.spaces(layout),
        "faults": project.faults(layout),
        "pairs": project.contacts(layout),
    }


def _cells(project: Project, layout: str, point) -> dict:
    return {"cells": project.space_cells(point, layout)}


def _find(project: Project, layout: str, point, past) -> dict:
    leak = project.leak(point, layout, past)
    return {"leak": leak, "opening": leak and project.opening_at(leak, layout)}


def _number(x: float) -> str:
    """Four digits, and no power of ten."""
    return f"{x:.4g}" if x < 1e4 else f"{x:,.0f}".replace(",", " ")


def _gap(gap: float) -> str:
    """A gap (m) in mm; nothing where there is none to speak of."""
    return f"{1e3 * gap:.2g}" if abs(gap) > 2e-6 else ""


def _ends(space) -> str:
    return ", ".join(space.openings) or ("reaches the sides" if space.sides else "closed")


def _count(n: int, what: str) -> str:
    return f"{n} {what}{'' if n == 1 else 's'}"
