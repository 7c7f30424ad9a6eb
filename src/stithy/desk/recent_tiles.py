"""Recent projects on the start page: a picture, the worst margin and where, the verdict, when."""

from __future__ import annotations

import time
from pathlib import Path

from PyQt6.QtCore import QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QPainter, QPen
from PyQt6.QtWidgets import QWidget

from ..errors import StithyError
from ..project import assets, files, recent
from ..weigh.compare import Standing, ranked, standing
from ..weigh.limits import FAILS, MEETS
from . import look
from .shelf import picture


class RecentTile(QWidget):
    """One recent project: a picture, its worst margin and where, the verdict, when."""

    pressed = pyqtSignal(str)
    dropped = pyqtSignal(str)

    def __init__(self, found: recent.Recent):
        super().__init__()
        self.found, self.title = found, found.folder.name
        self.standing: Standing | None = None
        self.count, self.fault = 0, ""
        self.setFixedHeight(86)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(f"recent project {self.title}")
        self.setToolTip(str(found.folder))

    def take(self, found: tuple[str, int, Standing] | str) -> None:
        """Show what a look at the project gave: its name, how many layouts, how the best stands; or a fault."""
        if isinstance(found, str):
            self.fault = found
        else:
            self.title, self.count, self.standing = found
        self.update()

    def mouseReleaseEvent(self, event):  # noqa: N802
        if event.button() == Qt.MouseButton.LeftButton and self.rect().contains(event.pos()):
            self.pressed.emit(str(self.found.folder))

    def keyPressEvent(self, event):  # noqa: N802
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Space):
            self.pressed.emit(str(self.found.folder))
        elif event.key() == Qt.Key.Key_Delete:
            self.dropped.emit(str(self.found.folder))
        elif event.key() in (Qt.Key.Key_Down, Qt.Key.Key_Up):
            self.focusNextChild() if event.key() == Qt.Key.Key_Down else self.focusPreviousChild()
        else:
            super().keyPressEvent(event)

    def paintEvent(self, event):  # noqa: N802
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        if self.underMouse() or self.hasFocus():
            p.setPen(Qt.PenStyle.NoPen)
            p.setBrush(QColor(look.CHOSEN))
            p.drawRoundedRect(QRectF(0, 1, self.width(), self.height() - 2), 4, 4)
        p.setPen(QPen(QColor(look.RULE), 1))
        p.setBrush(QColor(look.PAPER))
        p.drawRect(QRectF(8, 8, 92, 70))
        p.setBrush(Qt.BrushStyle.NoBrush)
        if self.standing is not None:
            picture(p, QRectF(14, 14, 80, 58), self.standing)
        x, w = 112, self.width() - 118
        lines = self._lines()
        for m, (text, size, weight, colour) in enumerate(lines):
            p.setFont(look.font(size, weight))
            p.setPen(QColor(colour))
            told = p.fontMetrics().elidedText(look.minus(text), Qt.TextElideMode.ElideRight, w)
            p.drawText(QRectF(x, 6 + 19 * m, w, 19), Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, told)

    def _lines(self) -> list[tuple[str, int, int, str]]:
        s = self.standing
        out = [(self.title, 14, 600, look.INK)]
        if self.fault:
            return [*out, (self.fault, 12, 400, look.EMBER), (_when(self.found.when), 12, 400, look.INK2)]
        if s is None:
            out += [("", 12, 400, look.INK2)] * 2
        elif s.worst is None:
            out += [("not solved" if s.summary is None else "no limits", 12, 400, look.INK2)]
            out += [(f"{len(s.problems)} to settle" if s.problems else "", 12, 400, look.INK2)]
        else:
            over = s.verdict == FAILS
            out.append(
                (f"{s.worst.margin_text('')} at {s.worst.bound.name}", 13, 600, look.EMBER if over else look.INK)
            )
            told = {MEETS: f"meets all {len(s.margins)} limits", FAILS: "over a limit"}.get(s.verdict, s.verdict)
            out.append((told, 12, 400, look.EMBER if over else look.INK2))
        layouts = f"{self.count} layout{'' if self.count == 1 else 's'}" if self.count else ""
        return [*out, (f"{_when(self.found.when)}   {layouts}", 12, 400, look.INK2)]


def look_at(folder: Path) -> tuple[str, int, Standing] | str:
    """Read a project and weigh its layouts from what is stored; as of :meth:`RecentTile.take`."""
    try:
        assets.know(folder)
        document = files.read(folder)
        rows = [standing(document, folder, x.name) for x in document.layouts]
        return document.name, len(document.layouts), ranked(rows)[0]
    except (StithyError, OSError, KeyError, ValueError) as error:
        return str(error).splitlines()[0] if str(error) else "cannot be read"


def _when(at: float) -> str:
    """When, in words."""
    then, now = time.localtime(at), time.localtime()
    days = int((time.mktime(now) - time.mktime(then[:3] + (0, 0, 0, 0, 0, -1))) // 86400)
    if days <= 0:
        return time.strftime("%H:%M", then)
    if days == 1:
        return "yesterday"
    return time.strftime("%A", then) if days < 7 else time.strftime("%-d %B", then)
