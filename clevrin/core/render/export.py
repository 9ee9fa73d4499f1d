"""Rendering the reel to a film, with progress and stop; the file is whole or absent."""

import queue
import threading
from collections.abc import Iterator
from contextlib import closing
from dataclasses import dataclass
from pathlib import Path

from clevrin.core.document import Project
from clevrin.core.errors import MediaError
from clevrin.core.media.picture import Picture
from clevrin.core.media.writing import SOUND_RATE, FilmWriter
from clevrin.core.outputs import check_output
from clevrin.core.pace import placed_shots, reel_frames
from clevrin.core.progress import Progress, step
from clevrin.core.render.hold_request import HoldRequest
from clevrin.core.render.picture import carried_out
from clevrin.core.render.planner import plan_frame
from clevrin.core.render.reel_colour import reel_colour, reel_deep
from clevrin.core.render.resolving import ResolvedShot, complete, resolve_frame, unheld
from clevrin.core.render.sources import Sources
from clevrin.core.sound.mix import ReelSound, Sound, shot_samples
from clevrin.core.sound.mix import has_sound as reel_has_sound

_AHEAD = 3


@dataclass(frozen=True, kw_only=True)
class ExportRequest:
    """What to render where; `size` None: the reel's own."""

    project: Project
    path: Path
    size: tuple[int, int] | None = None
    held: bool = True


def _resolved_reel(request: ExportRequest, sources: Sources, progress: Progress) -> dict[str, ResolvedShot]:
    """The shots of the reel by id, with all measured that their holds need: what was asked for is what is rendered."""
    project, store = request.project, sources.measured
    wanted = [HoldRequest.of(project, placed.shot) for placed in placed_shots(project)]
    return {each.shot.id: complete(each, store, progress) if request.held else unheld(each, store) for each in wanted}


def export_reel(request: ExportRequest, sources: Sources, progress: Progress, troubles: set[str] | None = None) -> Path:
    """Writes the reel as a film, with its sound if a take has any; returns the path.

    What could not be had as it should, as sound that is damaged, is added to `troubles`, a sentence each.

    Raises `MediaError` for an empty reel, a place that is one of the takes, a take that cannot be read, and a
    file that cannot be written; `CancelledError` when stopped. Pictures are made on this thread while the
    encoder works on another.
    """
    project, path = request.project, request.path
    never = project.media
    check_output(path, never)
    total = reel_frames(project)
    if total == 0:
        raise MediaError("The reel is empty: put a span on it first.")
    size = request.size or (project.reel.width, project.reel.height)
    shots = _resolved_reel(request, sources, progress)
    has_sound = reel_has_sound(project)
    with (
        closing(ReelSound(project, troubles, lambda shot: shots[shot.id].course)) as sound,
        FilmWriter(
            path,
            rate=project.reel.rate,
            size=size,
            sound=has_sound,
            colour=reel_colour(project),
            deep=reel_deep(project),
            never=never,
        ) as writer,
    ):
        encoder = _Encoder(writer)
        try:
            for placed in placed_shots(project):
                if has_sound:
                    for block in _blocks(sound, *shot_samples(placed, project)):
                        encoder.put_sound(block)
                for frame in range(placed.start, placed.end):
                    plan = plan_frame(resolve_frame(project, frame, lambda shot: shots[shot.id]), size)
                    encoder.put(carried_out(plan, project.take, sources.films, "final"))
                    step(progress, frame + 1, total)
        finally:
            encoder.finish()
        encoder.check()
    return path


def _blocks(sound: ReelSound, first: int, end: int) -> Iterator[Sound]:
    """Some of the reel's sound, a second at a time."""
    for at in range(first, end, SOUND_RATE):
        yield sound.read(at, min(SOUND_RATE, end - at))


class _Encoder:
    """Feeds a writer on a thread of its own; an error there is raised where pictures are made."""

    def __init__(self, writer: FilmWriter) -> None:
        self._writer = writer
        self._waiting: queue.Queue = queue.Queue(_AHEAD)
        self._error: BaseException | None = None
        self._thread = threading.Thread(target=self._run, name="encoding", daemon=True)
        self._thread.start()

    def put(self, picture: Picture) -> None:
        self.check()
        self._waiting.put((self._writer.write, picture))

    def put_sound(self, samples: object) -> None:
        self.check()
        self._waiting.put((self._writer.write_sound, samples))

    def finish(self) -> None:
        self._waiting.put(None)
        self._thread.join()

    def check(self) -> None:
        if self._error is not None:
            raise self._error

    def _run(self) -> None:
        while (item := self._waiting.get()) is not None:
            if self._error is None:
                write, value = item
                try:
                    write(value)
                except BaseException as error:  # whatever it is: who puts pictures in must hear of it
                    self._error = error
