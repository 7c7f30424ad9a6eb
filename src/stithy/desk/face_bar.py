"""The strip over the bench about a clicked face of an imported solid: what it is, which others go with it, and a button
that makes a group of them."""

from __future__ import annotations

from PyQt6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QWidget

from ..errors import StithyError
from ..kinds import closing, face_list
from ..kinds.face_group import FaceGroup
from ..project import edits
from ..shapes import faces
from .session import Session


class FaceBar(QWidget):
    """Chips that say which faces go with the clicked one; *Make a group* adds them as a row."""

    def __init__(self, session: Session):
        super().__init__()
        self.session = session
        self.setStyleSheet("QPushButton { padding: 3px 8px; }")
        self.setFixedHeight(38)  # the bench below keeps its size
        row = QHBoxLayout(self)
        row.setContentsMargins(12, 6, 8, 2)
        row.setSpacing(4)
        self.said = QLabel()
        row.addWidget(self.said)
        row.addSpacing(8)
        self.chips: dict[str, QPushButton] = {}
        for word in ("this face", "its plane", "runs on", "its radius", "looks", "touches"):
            chip = QPushButton(word, checkable=True)
            chip.clicked.connect(lambda _=False, w=word: self.choose(w))
            self.chips[word] = chip
            row.addWidget(chip)
        self.make = QPushButton("Make a group")
        self.make.setToolTip("A row with these faces: name it, give it a condition in Load")
        self.make.clicked.connect(lambda: self.add_group())
        self.put = QPushButton("Put on", checkable=True)
        self.put.setToolTip("Then click the face that this one is to lie on: the solid moves there")
        self.put.toggled.connect(self._placing)
        row.addSpacing(8)
        row.addWidget(self.make)
        row.addWidget(self.put)
        row.addStretch(1)
        self._from: tuple[str, int] | None = None
        self.word, self._row, self._of = "this face", None, ("", -1)
        for event in ("selection", "stage", "layout", "document"):
            session.on(event, self.rebuild)
        self.rebuild()

    def rebuild(self) -> None:
        """Show what was clicked, or hide."""
        picked = self.session.face
        imported = any(r.kind == "body" for r in self.session.document.rows_of(self.session.layout))
        self.setVisible(imported and self.session.stage in ("Shape", "Load"))
        if self.isHidden() or picked == self._of:
            return
        if self._from is not None and picked is not None and picked[0] != self._from[0]:
            self._put_on(picked)
            return
        self._of, self.word = picked, "this face"
        if picked is None:
            self._nothing()
            return
        self.make.show()
        self.put.show()
        for word in ("this face", "runs on"):
            self.chips[word].show()
        rows = face_list.face_list(self.session.document, self.session.layout, picked[0])
        self._row = next((r for r in rows if r.number == picked[1]), None)
        if self._row is None:
            self._nothing()
            return
        group = f", in {', '.join(self._row.groups)}" if self._row.groups else ""
        self.said.setText(f"{picked[0]}: {self._row.what}, {_area(self._row.area)}{group}")
        looks = self._row.what.startswith("flat, looks ")
        self.chips["looks"].setVisible(looks)
        self.chips["looks"].setText(f"all that look {self._row.what[-2:]}" if looks else "looks")
        self.chips["its plane"].setVisible(self._row.what.startswith("flat"))
        self.chips["its radius"].setVisible(self._row.what.startswith("round"))
        self.chips["touches"].setVisible(bool(self._row.touches))
        self.chips["touches"].setText(f"all that touch {self._row.touches[0]}" if self._row.touches else "touches")
        self.choose("this face")

    def _nothing(self) -> None:
        """Say what a click does."""
        self.said.setText("Click a face to see what it is; again for the one behind it")
        self.said.setProperty("quiet", True)
        for button in (*self.chips.values(), self.make, self.put):
            button.hide()

    def _placing(self, on: bool) -> None:
        """Begin to put the clicked face on another, or leave off."""
        self._from = self.session.face if on else None
        if on:
            self.said.setText(f"Click the face that this one of {self._from[0]} is to lie on")

    def _put_on(self, picked: tuple[str, int]) -> None:
        """Move the solid so that the face chosen first lies on this one."""
        (name, face), (other, there) = self._from, picked
        forms = {s.name: s.form for s in self.session.standing().model.solids}
        step = faces.onto(forms[name], face, forms[other], there)
        self.put.setChecked(False)
        if step is None:
            self._of = picked
            self.said.setText("These two do not face each other: turn one of the solids first (cell turned by)")
            return
        layout = self.session.layout
        self.session.do(closing.put_face_on(self.session.document, layout, name, step, self.session.only_here))
        self.session.pick_face(None)
        self.session.select((name,))

    def rule(self) -> str:
        """What a group's row would say of the chosen faces."""
        assert self._row is not None
        at = ", ".join(f"{round(1e3 * x, 3) + 0.0:g}" for x in self._row.point) + " mm"
        if self.word == "looks":
            return f"look {self._row.what[-2:]}"
        if self.word == "touches":
            return f"touch {self._row.touches[0]}"
        return {"this face": "at", "its plane": "plane", "runs on": "smooth", "its radius": "radius"}[
            self.word
        ] + f" {at}"

    def choose(self, word: str) -> None:
        """Take what goes with the clicked face by a rule, and show it."""
        self.word = word
        for key, chip in self.chips.items():
            chip.setChecked(key == word)
        self.session.show_faces(self._row.of if self._row else "", self.rule() if self._row else "")

    def add_group(self) -> None:
        """Add the faces as a row."""
        assert self._row is not None
        name = edits.free_name(self.session.document, f"{self._row.of[:40]} faces")
        try:
            self.session.do(
                edits.add_row(self.session.layout, FaceGroup(name=name, of=self._row.of, which=self.rule()))
            )
        except StithyError as error:
            self.said.setText(str(error).splitlines()[0])
            return
        self.session.face = None
        self.session.select((name,))


def _area(area: float) -> str:
    return f"{1e4 * area:.4g} cm²" if area > 1e-4 else f"{1e6 * area:.4g} mm²"
