"""A render in segments: stretches of the reel, each known by all that its pictures depend on, made on their own.

What is finished stays when the rest is stopped. What did not change is not made again, whether it lies beside the
output still or is bound in the film that was rendered there before.
"""

from fractions import Fraction
from itertools import pairwise
from pathlib import Path
from types import TracebackType
from typing import Self

import numpy as np

from clevrin import __version__
from clevrin.core.digest import digest
from clevrin.core.document import Project, Span, Take
from clevrin.core.document.pinned import Film
from clevrin.core.media.binding import Bound, cut_out_segment, is_whole
from clevrin.core.outputs import PartsRoom
from clevrin.core.pace import placed_shots
from clevrin.core.render.export.segment_maker import SegmentTask
from clevrin.core.render.plan import Plan
from clevrin.core.shelf import Shelf

VERSION = "2"
"""Goes up with every change by which the same plan gives other pictures."""
_LONGEST_S = 4.0
_MOST_WORK_S = 8.0
"""What is stopped in the middle of a segment is lost: about so much of one core's work at most, on a slow machine."""
_PLAIN_S, _SAMPLE_S, _FLOW_S = 0.05, 0.05, 0.2
"""What a picture, each moment that it is gathered from, and each that was never shot cost, a million pixels."""
_ELSEWHERE = frozenset({"path"})
"""Where a file lies is no part of what it shows: its fingerprint counts."""


def stretches(project: Project, first: int, end: int) -> tuple[Span, ...]:
    """The frames of a part of the reel that are coded together: a stretch begins at each cut.

    So a change in a shot changes no other ones.
    """
    longest = max(1, round(_LONGEST_S * float(project.reel.rate)))
    found: list[Span] = []
    for placed in placed_shots(project):
        low, high = max(first, placed.start), min(end, placed.end)
        if low < high:
            count = -(-(high - low) // longest)
            edges = [low + round((high - low) * k / count) for k in range(count + 1)]
            found += [Span(first=a, end=b) for a, b in pairwise(edges)]
    return tuple(found)


def shared_by_work(stretch: Span, plans: tuple[Plan, ...], size: tuple[int, int]) -> tuple[Span, ...]:
    """A stretch in as many parts as it takes for none to be much work. It is reckoned the same on every machine."""
    count = -(-sum(_work_s(plan, size) for plan in plans) // _MOST_WORK_S)
    parts = min(max(1, int(count)), stretch.frames)
    edges = [stretch.first + round(stretch.frames * k / parts) for k in range(parts + 1)]
    return tuple(Span(first=a, end=b) for a, b in pairwise(edges))


def _work_s(plan: Plan, size: tuple[int, int]) -> float:
    samples = [each for layer in plan.layers for each in layer.samples]
    flowing = sum(each.between is not None and each.between.made == "flow" for each in samples)
    return size[0] * size[1] / 1e6 * (_PLAIN_S + _SAMPLE_S * len(samples) + _FLOW_S * flowing)


def takes_in(plans: tuple[Plan, ...], project: Project) -> tuple[Take, ...]:
    """The takes that plans name."""
    layers = [layer for plan in plans for layer in plan.layers]
    pinned = {pin.of.take_id for layer in layers for pin in layer.pins if isinstance(pin.of, Film)}
    named = pinned | {layer.take_id for layer in layers}
    return tuple(project.take(take_id) for take_id in sorted(named))


def name_of(task: SegmentTask) -> str:
    """By what a segment is known: its pictures, the media that they are made from, and how they are coded."""
    media = {take.id: take.fingerprint for take in task.takes}
    return digest((__version__, VERSION, task.coding, task.rate, media, task.plans), _ELSEWHERE)


class Segments:
    """The segments of one output: those that are there, and where the others are to be put."""

    def __init__(self, path: Path, shelf: Shelf, rate: Fraction, *, resume: bool) -> None:
        """`resume`: what earlier renders to this place left is used."""
        self._path, self._shelf, self._rate = path, shelf, rate
        self._room = PartsRoom(path)
        if not resume:
            self._room.clear()
        self._room.open()
        self._bound: list[tuple[str, Bound]] = []
        self._asked: set[str] = set()
        self._before = _rendered(path, shelf) if resume else {}

    def place(self, name: str, stretch: Span) -> Path | None:
        """Where the next segment is to be put; None where it is there, or is being made already."""
        path = self._room.part(name)
        asked = name in self._asked
        self._asked.add(name)
        self._bound.append((name, Bound(path=path, frames=stretch.frames)))
        return None if asked or self._has(name, path, stretch.frames) else path

    def _has(self, name: str, path: Path, frames: int) -> bool:
        if is_whole(path, frames):
            return True
        first = self._before.get(name)
        found = first is not None and cut_out_segment(self._path, first, frames, path, self._rate)
        return found and is_whole(path, frames)

    @property
    def bound(self) -> list[Bound]:
        """All segments, in order."""
        return [each for _, each in self._bound]

    def __enter__(self) -> Self:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        """Where all went well the parts are thrown away; else those that are whole stay for a render that resumes."""
        if kind is not None:
            self._room.tidy()
            return
        self._room.clear()
        stamp = _stamp(self._path)
        if stamp is not None:
            frames = np.array([each.frames for _, each in self._bound])
            names = np.array([name for name, _ in self._bound])
            self._shelf.put({"names": names, "frames": frames}, "rendered", str(self._path.resolve()), stamp)


def _rendered(path: Path, shelf: Shelf) -> dict[str, int]:
    """The segments in a film as it was rendered, by name: the frame at which each begins."""
    stamp = _stamp(path)
    kept = None if stamp is None else shelf.get("rendered", str(path.resolve()), stamp)
    if kept is None or not kept.keys() >= {"names", "frames"}:
        return {}
    firsts = np.cumsum([0, *kept["frames"][:-1]])
    return {str(name): int(first) for name, first in zip(kept["names"], firsts, strict=True)}


def _stamp(path: Path) -> str | None:
    """By what a file is told from another one in its place; None for what is no file."""
    try:
        found = path.stat()
    except OSError:
        return None
    return f"{found.st_size} {found.st_mtime_ns}" if path.is_file() else None
