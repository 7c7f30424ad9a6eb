"""Films: pictures without a window one after the other, of a stored result or of a run as it goes."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np

from ..api import Project
from ..errors import FileProblem, StithyError
from ..model import drawn
from ..read import shown
from ..solution.solution import Fields, Instant, Solution
from ..solve.job import Job
from ..solve.steady import Progress
from . import camera
from .still import Still, looking, looking_at, quiet_screen, save

FILMS = ("turn", "time", "marks", "section", "run")
#: frames of a film; of a run, how many of these a second, and bytes that they may take
MOST_FRAMES, OF_RUN, RUN_RATE, ROOM = 2000, 300, 10, 6e8


def film(
    project: Project,
    path: Path,
    what: str,
    seconds: float = 6.0,
    rate: int = 15,
    size=(960, 600),
    row: str = "",
    tell=None,
    **more,
):
    """Write a film: the camera turning about the model, a run's kept instants, marks moving along streamlines, a
    section moving through the model, or a run as it goes, which is solved for that. Raises StithyError."""
    quiet_screen()
    if what == "run":
        of_run(project, path, size, tell=tell, **more)
        return
    look_, view = looking(project, **more)
    still = Still(look_, size)
    try:
        if view is not None:
            camera.put(still.view, view)
        count = int(min(max(seconds * rate, 2), MOST_FRAMES))
        write_film(frames(still, what, count, rate, row), path, rate, count, tell)
    finally:
        still.close()


def of_run(
    project: Project,
    path: Path,
    size: tuple[int, int] = (960, 600),
    layout: str = "",
    view: str = "",
    rows: tuple[str, ...] = (),
    time: float | None = None,
    tell: Callable[[Progress], Any] | None = None,
) -> None:
    """Solve a layout from rest, store its result, and write a film of its iterations or time steps: each while there
    are few, then every second, every fourth ... ``tell`` is called every iteration. Raises StithyError."""
    film_ending(path)
    if time is not None:
        raise StithyError("A film of a run shows all of it: leave out the time.")
    if not path.absolute().parent.is_dir():
        raise FileProblem(f"{path}: there is no such folder. Choose another place for the film.")
    quiet_screen()
    name = layout or project.document.layouts[0].name
    look_, seen = looking_at(project, name, None, view, rows)
    whole, in_time = _followed(Job(project.document, name, project.folder, fresh=True), tell)
    still = Still(look_, size)
    try:
        if seen is not None:
            camera.put(still.view, seen)
        write_film(_moments(still, whole, in_time), path, RUN_RATE, len(whole.instants) + 1)
    finally:
        still.close()


def _followed(job: Job, tell: Callable[[Progress], Any] | None) -> tuple[Solution, bool]:
    """Run a job; its result with the moments on the way in place of its instants, each by its time or else by its
    iteration, and whether these are times: as many as go into :data:`ROOM`."""
    taken: list[Instant] = []
    most = int(np.clip(ROOM / (60 * job.prepared.case.grid.cells), 24, OF_RUN))
    stride = 1

    def hear(p: Progress) -> Any:
        nonlocal stride
        now = job.run_.iteration
        if p.phase not in ("coarse grid", "done") and job.run_.history and now % stride == 0:
            s = job.result(job.run_.history[-1])
            fields = Fields(*(np.asarray(x, np.float32) for x in (s.temperature, s.pressure, s.u, s.v, s.w)))
            taken.append(Instant(p.time or float(now), fields, s.faces, s.walls))
        if len(taken) >= most:
            stride *= 2
            taken[:] = taken[1::2]
        return tell(p) if tell else True

    result = job.run(hear)
    return replace(result, instants=tuple(taken)), job.model.run.time is not None


def _moments(still: Still, whole: Solution, in_time: bool) -> Iterator[np.ndarray]:
    """A picture of every moment, and the result at last; scales span all of them."""
    for x in whole.instants:
        still.look.result = whole.at_instant(x.time)
        still.draw()
        yield still.image(shown.text(x.time, "time") if in_time else f"iteration {x.time:.0f}")
    still.look.result = whole
    still.draw()
    yield still.image("as it ended")


def frames(still: Still, what: str, count: int, rate: int, row: str = "") -> Iterator[np.ndarray]:
    """The pictures of a film. Raises StithyError for what there is nothing of."""
    look_ = still.look
    if what == "turn":
        still.draw()
        for m in range(count):
            camera.whole(still.view, look_.model, 360.0 * m / count)
            still.draw()
            yield still.image()
    elif what == "time":
        whole = look_.result
        if whole is None or len(whole.instants) < 2:
            raise StithyError("This result has no kept instants. Ask for some in the run's row, and solve in time.")
        times, last, image = [x.time for x in whole.instants], None, np.zeros(0)
        for m in range(count):
            time = times[0] + (times[-1] - times[0]) * m / (count - 1)
            near = min(times, key=lambda t: abs(t - time))
            if near != last:
                last, look_.result = near, whole.at_instant(near)
                still.draw()
                image = still.image(shown.text(near, "time"))
            yield image
        look_.result = whole
    elif what == "marks":
        still.draw()
        if not still.painter.marks:
            look_.rows = tuple(
                replace(x, marks=True, on=True) if isinstance(x, drawn.Streamlines) else x for x in look_.rows
            )
            still.draw()
        if not still.painter.marks:
            raise StithyError("No streamlines are drawn. Switch some on first.")
        for m in range(count):
            for marks in still.painter.marks.values():
                marks.move(m / rate)
            yield still.image()
    elif what == "section":
        yield from _moving_section(still, count, row)
    else:
        raise StithyError(f"“{what}” is no film. Choose one of: {', '.join(FILMS)}.")


def _moving_section(still: Still, count: int, row: str) -> Iterator[np.ndarray]:
    look_ = still.look
    sections = [x for x in look_.sections if x.axis is not None and (x.name == row or not row)]
    first = next((x for x in sections if x.on), sections[0] if sections else None)
    if first is None or look_.result is None:
        raise StithyError("There is no section across x, y or z to move. Add one first.")
    lines = look_.result.grid.lines[first.axis]
    for m in range(count):
        share = 0.5 - 0.5 * np.cos(2 * np.pi * m / count)
        place = float(lines[0] + (0.02 + 0.96 * share) * (lines[-1] - lines[0]))
        look_.rows = tuple(replace(x, on=True, place=place) if x.name == first.name else x for x in look_.rows)
        still.draw()
        yield still.image(f"{'xyz'[first.axis]} {shown.text(place, 'length')}")


def film_ending(path: Path) -> str:
    """How a film is written: ".mp4", ".gif" or "" (a folder). Raises FileProblem for any other."""
    end = path.suffix.lower()
    if end not in (".mp4", ".gif", ""):
        raise FileProblem(f"{path}: name a film that ends in .mp4 or .gif, or a folder for single pictures.")
    return end


def write_film(pictures: Iterator[np.ndarray], path: Path, rate: int, count: int, tell=None) -> None:
    """Write pictures as .mp4, .gif, or one .png each in a folder. ``tell(done, count)`` stops it by False. Raises
    FileProblem."""
    end = film_ending(path)
    first = next(pictures)
    h, w = (x // 2 * 2 for x in first.shape[:2])
    kept, writer = [], None
    if end == ".mp4":
        import imageio_ffmpeg

        writer = imageio_ffmpeg.write_frames(str(path), (w, h), fps=rate, quality=8, macro_block_size=2)
        writer.send(None)
    elif not end:
        path.mkdir(parents=True, exist_ok=True)
    try:
        for m, image in enumerate(_all(first, pictures)):
            image = np.ascontiguousarray(image[:h, :w])
            if writer is not None:
                writer.send(image)
            elif end == ".gif":
                kept.append(image)
            else:
                save(image, path / f"{m:05d}.png")
            if tell and tell(m + 1, count) is False:
                break
    finally:
        if writer is not None:
            writer.close()
    if kept:
        from PIL import Image

        pages = [Image.fromarray(x).quantize(128) for x in kept]
        pages[0].save(path, save_all=True, append_images=pages[1:], duration=int(1000 / rate), loop=0)


def _all(first: np.ndarray, rest: Iterator[np.ndarray]) -> Iterator[np.ndarray]:
    yield first
    yield from rest
