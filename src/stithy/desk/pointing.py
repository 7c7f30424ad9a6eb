"""What of the solids one points at: a clicked face, faces that a rule chooses, a fluid space."""

from __future__ import annotations

from typing import Any


class Pointing:
    """Part of the session; see there for its attributes."""

    face: tuple[str, int] | None
    face_hidden: bool
    faces: tuple[str, str]
    space: tuple | None
    selected: tuple[str, ...]
    document: Any
    layout: str
    tell: Any
    standing: Any

    def pick_face(self, face: tuple[str, int] | None, hidden: bool = False) -> None:
        """Take a clicked face, ``hidden`` behind something or not; None: no face."""
        self.face, self.face_hidden = face, hidden and face is not None
        if face is None:
            self.faces = ("", "")
        self.tell("selection")

    def show_faces(self, of: str, which: str) -> None:
        """Show the faces of a solid that a rule chooses."""
        if (of, which) != self.faces:
            self.faces = (of, which)
            self.tell("selection")

    def shown_faces(self) -> tuple:
        """Solids (as they stand) and the numbers of their faces that are shown: of the clicked one and of selected
        groups."""
        from ..kinds.face_group import FaceGroup, chosen
        from ..project.reader import Reader

        model = self.standing().model
        if model is None:
            return ()
        forms, out = {s.name: s.form for s in model.solids}, []
        if self.face is not None and self.faces[0] in forms:
            row = FaceGroup(name="Clicked", of=self.faces[0], which=self.faces[1])
            found = chosen(Reader(self.document, self.layout), row)
            out += [(forms[self.faces[0]], tuple(sorted(found[2])))] if found else []
        out += [(forms[g.of], g.faces) for g in model.faces if g.name in self.selected and g.of in forms]
        return tuple(out)

    def show_space(self, space: tuple | None) -> None:
        """Show the cells of a fluid space, or none."""
        if space is not self.space:
            self.space = space
            self.tell("selection")
