"""Pictures without a window: what a bench would show, at any size."""

from __future__ import annotations

import io
import os
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import numpy as np
import pyvista as pv

from ..api import Project
from ..errors import FileProblem, StithyError
from ..kinds import drawing
from ..kinds.assembly import resolve
from ..model import drawn
from ..project import edits
from ..solution.solution import Solution
from . import camera, look
from .painter import Painter
from .view_items import ITEMS
from .viewing import Library, Look

#: largest side of a picture, pixels
LARGEST = 8000
#: room for the scales, as a part of a picture's width of 1280
FOOT = 50


class Still:
    """One picture being drawn: the same items as on a bench, in an off-screen view of ``size`` pixels."""

    def __init__(self, look_: Look, size: tuple[int, int] = (1280, 800)):
        if not all(64 <= x <= LARGEST for x in size):
            raise StithyError(f"{size[0]} x {size[1]} is no size for a picture. Give 64 to {LARGEST} pixels a side.")
        self.look, self.size = look_, size
        self.view = pv.Plotter(off_screen=True, window_size=list(size), border=False)
        self.view.set_background(look.PAPER)
        self.view.enable_lightkit()
        self.view.ren_win.SetMultiSamples(4)
        self.painter = Painter(self.view)
        camera.whole(self.view, look_.model)

    def draw(self) -> None:
        """Draw everything anew."""
        self.painter.clear()
        self.look.scales.clear()
        self.look.toward = camera.toward(self.view)
        self.painter.planes = self.look.planes()
        for item in ITEMS:
            if item.wanted(self.look):
                for _ in item.draw(self.painter, self.look):
                    pass
        self.view.renderer.ResetCameraClippingRange()

    def image(self, note: str = "", large: float = 1.0) -> np.ndarray:
        """The picture with its scales below (``large``: times as large), RGB bytes (height, width, 3); ``note`` stands
        beside them."""
        self.view.ren_win.Render()  # a view that was drawn once takes its last picture otherwise
        shot = np.asarray(self.view.screenshot(return_img=True))[:, :, :3]
        return with_scales(shot, self.look, note, large)

    def close(self) -> None:
        """Let the view go."""
        self.view.close()


def with_scales(shot: np.ndarray, look_: Look, note: str = "", large: float = 1.0) -> np.ndarray:
    """A picture with the scales of what is drawn below it."""
    from PyQt6.QtCore import QPoint, QRectF, Qt
    from PyQt6.QtGui import QColor, QImage, QPainter

    from .app import application
    from .scale import Scales

    application()
    h, w, _ = shot.shape
    zoom = large * max(w / 1280, 0.6)
    foot = int(FOOT * zoom) if look_.scales or note else 0
    image = QImage(w, h + foot, QImage.Format.Format_RGB888)
    image.fill(QColor(look.PAPER))
    p = QPainter(image)
    plain = np.ascontiguousarray(shot)
    p.drawImage(0, 0, QImage(plain.data, w, h, 3 * w, QImage.Format.Format_RGB888))
    if look_.scales:
        scales = Scales(grips=False)
        scales.resize(int((w - 28 * zoom) / zoom), 46)
        scales.show_scales(look_.scales, {})
        p.save()
        p.translate(14 * zoom, h)
        p.scale(zoom, zoom)
        scales.render(p, QPoint(0, 0), flags=scales.RenderFlag.DrawChildren)
        p.restore()
    if note:
        p.setFont(look.font(13 * zoom))
        p.setPen(QColor(look.INK))
        at = QRectF(w - 320 * zoom, h - 26 * zoom, 306 * zoom, 20 * zoom)
        p.drawText(at, Qt.AlignmentFlag.AlignRight, look.minus(note))
    p.end()
    bits = image.constBits()
    bits.setsize(image.sizeInBytes())
    rows = np.frombuffer(bytes(bits), np.uint8).reshape(h + foot, image.bytesPerLine())
    return rows[:, : 3 * w].reshape(h + foot, w, 3).copy()


def looking(project: Project, layout: str = "", view: str = "", rows: tuple[str, ...] = (), time: float | None = None):
    """What a picture of a stored result is drawn from, and the named view (or None). ``rows``: drawn rows that are on,
    no others. Raises StithyError for what is not there."""
    name = layout or project.document.layouts[0].name
    result = project.current(name)
    return looking_at(project, name, result if time is None else result.at_instant(time), view, rows)


def looking_at(project: Project, name: str, result: Solution | None, view: str = "", rows: tuple[str, ...] = ()):
    """As :func:`looking`, of any result of a layout, or of one that is to come."""
    document = drawing.begun(project.document)
    found, _ = drawing.drawn(document, name)
    named = next((x for x in found if isinstance(x, drawn.View) and x.name == view), None)
    if view and named is None:
        names = ", ".join(x.name for x in found if isinstance(x, drawn.View)) or "none yet"
        raise StithyError(f"There is no view “{view}”. The views are: {names}.")
    known = [x.name for x in found if hasattr(x, "on")]
    for row in rows:
        if row not in known:
            raise StithyError(f"There is no drawn row “{row}”. There are: {', '.join(known)}.")
    on = rows or (named.shown if named is not None else None)
    if on is not None:
        found = [replace(x, on=x.name in on) if hasattr(x, "on") else x for x in found]
    sight = {}
    if named is not None:
        sight = dict.fromkeys(named.hidden, "hidden") | dict.fromkeys(named.through, "through")
    library = Library(lambda n: project.result(n))
    layouts = tuple(x.name for x in document.layouts)
    model = resolve(document, name)
    summary = None if result is None else result.summary
    return Look(name, model, result, summary, (), "Read", False, None, library, tuple(found), layouts, (), sight), named


def quiet_screen() -> None:
    """Draw without a screen where there is none."""
    if not os.environ.get("DISPLAY") and not os.environ.get("WAYLAND_DISPLAY"):
        os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
        os.environ.setdefault("VTK_DEFAULT_OPENGL_WINDOW", "vtkEGLRenderWindow")


def picture(project: Project, path: Path, size: tuple[int, int] = (1280, 800), **what) -> list[str]:
    """Write a picture of a stored result; what could not be drawn. Raises StithyError."""
    quiet_screen()
    look_, view = looking(project, **what)
    still = Still(look_, size)
    try:
        if view is not None:
            camera.put(still.view, view)
        still.draw()
        save(still.image(), path)
    finally:
        still.close()
    return list(look_.told.values())


class _Kept(Project):
    """A project that reads every result once: all pictures look at all of them for their one scale."""

    def result(self, layout: str = "") -> Solution | None:
        """As of a project."""
        known = self.__dict__.setdefault("_known", {})
        if layout not in known:
            known[layout] = super().result(layout)
        return known[layout]


def of_layout(project: Project, size: tuple[int, int] = (900, 600)) -> Callable[[str], bytes]:
    """A function that draws a layout as bytes of a .png, all layouts from one place and at one scale: the first view of
    the project, if there is one, and the range of all layouts."""
    quiet_screen()
    views = [r.name for r in project.document.rows if r.kind == "view"]
    changes = [
        edits.set_cell(project.document.layouts[0].name, r.name, "range", "all layouts")
        for r in project.document.rows
        if r.kind in ("section", "surface") and r.text("range") in ("", "this layout")
    ]
    shared = _Kept(edits.many("one scale", changes).apply(project.document), project.folder)

    def draw(layout: str) -> bytes:
        from PIL import Image

        look_, view = looking(shared, layout, views[0] if views else "")
        still = Still(look_, size)
        try:
            if view is not None:
                camera.put(still.view, view)
            still.draw()
            out = io.BytesIO()
            Image.fromarray(still.image(large=2.0)).save(out, "PNG", optimize=True)
            return out.getvalue()
        finally:
            still.close()

    return draw


def save(image: np.ndarray, path: Path) -> None:
    """Write RGB bytes as .png or .jpg. Raises FileProblem."""
    from PIL import Image

    if path.suffix.lower() not in (".png", ".jpg", ".jpeg"):
        raise FileProblem(f"{path}: name a picture that ends in .png or .jpg.")
    try:
        Image.fromarray(image).save(path)
    except OSError as error:
        raise FileProblem(
            f"{path}: not written ({error.strerror or error}). Choose a folder that can be written to."
        ) from error
