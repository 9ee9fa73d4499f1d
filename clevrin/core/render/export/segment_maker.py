"""Making the segments of a render: what one is made from, and who makes it.

A segment is made from plans, which say all that its pictures depend on but the media: so it can be made on a machine
that has measured nothing.
"""

import queue
import threading
from collections.abc import Callable
from contextlib import closing
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path
from typing import Protocol

from clevrin.core.document import Project, Take
from clevrin.core.document.colour import Colour
from clevrin.core.media.binding import SegmentWriter
from clevrin.core.media.coding import Coding
from clevrin.core.media.picture import Picture
from clevrin.core.progress import Progress
from clevrin.core.render.export.side_by_side import made_in_order, threads_for
from clevrin.core.render.pixels.films import Films
from clevrin.core.render.plan import Plan

_AHEAD = 4


@dataclass(frozen=True, kw_only=True, eq=False)
class SegmentTask:
    """All that a segment is made from: its plans, the takes that they name, and how it is coded."""

    plans: tuple[Plan, ...]
    takes: tuple[Take, ...]
    coding: Coding
    rate: Fraction
    size: tuple[int, int]
    colour: Colour


class Maker(Protocol):
    """Who makes segments: here, one after the other, or on other machines."""

    def prepare(self, project: Project, progress: Progress) -> None:
        """Says before anything begins why it cannot. Raises `MediaError`."""

    def make(self, task: SegmentTask, place: Path, told: Callable[[int], None]) -> None:
        """Makes a segment, or has it made: then it may be there later. `told` is called with frames that are done."""

    def finish(self) -> None:
        """Waits until all segments are there."""


class MadeHere:
    """Makes segments with the films of a thread: it reads, others make pictures, and one more encodes them."""

    def __init__(self, films: Films) -> None:
        self._films = films

    def prepare(self, project: Project, progress: Progress) -> None:
        """There is nothing to say: what cannot be read is said when it is."""

    def make(self, task: SegmentTask, place: Path, told: Callable[[int], None]) -> None:
        make_segment(task, place, self._films, told, threads_for(task.size))

    def finish(self) -> None:
        """All of them are there."""


def make_segment(task: SegmentTask, place: Path, films: Films, told: Callable[[int], None], threads: int = 1) -> None:
    """Makes the pictures of a segment on so many threads and writes it; it is whole or absent. Raises `MediaError`."""
    take_of = {take.id: take for take in task.takes}.__getitem__
    with SegmentWriter(place, coding=task.coding, rate=task.rate, size=task.size, colour=task.colour) as writer:
        encoder = _Encoder(writer)
        try:
            with closing(made_in_order(task.plans, take_of, films, threads)) as pictures:
                for picture in pictures:
                    encoder.put(picture)
                    told(1)
        finally:
            encoder.finish()
        encoder.check()


class _Encoder:
    """Feeds a writer on a thread of its own; an error there is raised where pictures are made."""

    def __init__(self, writer: SegmentWriter) -> None:
        self._writer = writer
        self._waiting: queue.Queue[Picture | None] = queue.Queue(_AHEAD)
        self._error: BaseException | None = None
        self._thread = threading.Thread(target=self._run, name="encoding", daemon=True)
        self._thread.start()

    def put(self, picture: Picture) -> None:
        self.check()
        self._waiting.put(picture)

    def finish(self) -> None:
        self._waiting.put(None)
        self._thread.join()

    def check(self) -> None:
        if self._error is not None:
            raise self._error

    def _run(self) -> None:
        while (picture := self._waiting.get()) is not None:
            if self._error is None:
                try:
                    self._writer.write(picture)
                except BaseException as error:  # whatever it is: who puts pictures in must hear of it
                    self._error = error
