"""What the window does with pictures and results: pin values, hide parts, choose units, write pictures, films, tables
and fields."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Any

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QFileDialog, QInputDialog, QProgressDialog

from ..errors import StithyError
from ..kinds import Flag
from ..project import edits
from ..read import export
from . import films, still
from .run_film import RunFilm
from .units_dialog import UnitsDialog

if TYPE_CHECKING:
    from .bench import Bench
    from .ledger import Ledger
    from .session import Session

#: what the window's menu calls films
FILMS = {
    "Film: the camera turns": "turn",
    "Film: marks along streamlines": "marks",
    "Film: a section moves through": "section",
    "Film: the kept instants": "time",
    "Film: the run as it goes": "run",
}


class PictureActions:
    """Part of the window; see there for its attributes."""

    session: Session
    bench: Bench
    ledger: Ledger
    status: Any
    run_film: RunFilm | None = None
    run: Any
    _try: Any

    def pin(self) -> None:
        """Keep the clicked values as a flag."""
        place = self.bench.clicked
        if place is None or self.session.result() is None:
            self.ledger.refuse("Click on something in the picture first; then its values can be pinned.")
            return
        scales = self.bench.shown_scales
        quantity = scales[0].quantity.name if scales and scales[0].quantity.place == "cells" else "temperature"
        name = edits.free_name(self.session.document, "Flag")
        at = ", ".join(f"{1e3 * x:.5g}" for x in place) + " mm"
        self._try(edits.add_row(self.session.layout, Flag(name=name, at=at, quantity=quantity)))
        self.session.select((name,))

    def see(self, how: str) -> None:
        """Hide the selected parts, see through them, show only them, or (with "") all again."""
        names = self.session.selected if how else ()
        if how and not names:
            self.ledger.refuse("Select parts first, in the table or on the bench.")
            return
        self.session.picture.see(names, how)

    def choose_units(self) -> None:
        """The units results are shown in."""
        if UnitsDialog(self).exec():  # type: ignore[arg-type]
            self.session.tell("results")

    def _written(self, work, path: str) -> None:
        try:
            work()
            self.status.setText(f"Written {path}")
        except (StithyError, OSError) as error:
            self.ledger.refuse(str(error).splitlines()[0])

    def picture_at_size(self, path: str = "", size: str = "") -> None:
        """Write the shown picture at any size."""
        if not size:
            text, ok = QInputDialog.getText(self, "Picture", "Size in pixels:", text="1920 x 1080")  # type: ignore[call-overload]
            size = text if ok else ""
        if size and not path:
            path, _ = QFileDialog.getSaveFileName(self, "Picture", "picture.png", "Pictures (*.png *.jpg)")  # type: ignore[arg-type]
        if path and size:
            self._written(lambda: self._picture(Path(path), size), path)

    def _still(self, size: tuple[int, int]) -> still.Still:
        """A picture off the screen, looked at as on the bench."""
        session = self.session
        standing = session.standing()
        if standing.model is None:
            raise StithyError("There is nothing to see yet: settle what is marked first.")
        result = self.bench.result() if self.bench.showing_results() else None
        made = still.Still(self.bench.looking(standing, result), size)
        mine, theirs = made.view.camera, self.bench.view.camera
        mine.position, mine.focal_point, mine.up = theirs.position, theirs.focal_point, theirs.up
        mine.view_angle = theirs.view_angle
        return made

    def _picture(self, path: Path, size: str) -> None:
        w, _, h = size.lower().replace("×", "x").partition("x")
        try:
            pixels = int(w), int(h)
        except ValueError:
            raise StithyError(f"“{size}” is no size. Write it like 1920 x 1080.") from None
        made = self._still(pixels)
        try:
            made.draw()
            still.save(made.image(), path)
        finally:
            made.close()

    def film(self, what: str, path: str = "", seconds: float = 6.0) -> None:
        """Write a film of what is shown; "run": of the run that is on, or of one that begins now, until it ends."""
        if not path:
            path, _ = QFileDialog.getSaveFileName(self, "Film", f"{what}.mp4", "Films (*.mp4 *.gif);;Pictures (*)")  # type: ignore[arg-type]
        if path and what == "run":
            self._film_run(Path(path))
        elif path:
            self._written(lambda: self._film(what, Path(path), seconds), path)

    def _film_run(self, path: Path) -> None:
        """Film the run that is on, or begin one; where it cannot be written is said before."""
        try:
            films.film_ending(path)
            if not path.parent.is_dir():
                raise StithyError(f"There is no folder “{path.parent}”. Choose another place for the film.")
        except StithyError as error:
            self.ledger.refuse(str(error).splitlines()[0])
            return
        if self.session.run is None:
            self.run(fresh=True)
        self.run_film = RunFilm(self.session, self.bench, path, self.status.setText, self.ledger.refuse)

    def _film(self, what: str, path: Path, seconds: float) -> None:
        rate, count = 15, max(int(seconds * 15), 2)
        made = self._still((960, 600))
        box = QProgressDialog("Drawing the film", "Stop and keep", 0, count, self)  # type: ignore[arg-type]
        box.setWindowModality(Qt.WindowModality.WindowModal)

        def tell(done: int, _count: int) -> bool:
            box.setValue(done)
            return not box.wasCanceled()

        try:
            films.write_film(films.frames(made, what, count, rate), path, rate, count, tell)
        finally:
            box.close()
            made.close()

    def export_tables(self, path: str = "") -> None:
        """All tables of the result as one spreadsheet."""
        result = self.session.result()
        if result is None:
            self.ledger.refuse("This layout has no result yet. Press Run first.")
            return
        if not path:
            path, _ = QFileDialog.getSaveFileName(
                self, "Tables", f"{self.session.layout}.xlsx", "Tables (*.xlsx *.csv)"
            )  # type: ignore[arg-type]
        if path:
            rows = self.session.picture.drawn()[0]
            self._written(lambda: export.sheet(path, export.all_tables(result, rows)), path)
