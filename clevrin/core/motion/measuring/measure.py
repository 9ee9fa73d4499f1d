"""Measuring a take: the trace, made in pieces that are kept, so that stopping loses nothing."""

from collections.abc import Callable
from dataclasses import dataclass, replace
from functools import cached_property
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from clevrin.core.errors import MediaError
from clevrin.core.importing import importing
from clevrin.core.media.index import FrameIndex, index_frames
from clevrin.core.media.probe import fingerprint
from clevrin.core.media.reading import FilmReader
from clevrin.core.motion.blur import blur_length, fit_shutter
from clevrin.core.motion.geometry.models import HOMOGRAPHY, MODELS, Points, simplest_model
from clevrin.core.motion.matching.feed import FrameFeed
from clevrin.core.motion.matching.working_picture import LeftOut, Prepared, work_size
from clevrin.core.motion.measuring.course import Course, course_of
from clevrin.core.motion.measuring.key_frames import Step, StepTracker
from clevrin.core.motion.measuring.left_out import ALL_COUNTS, Without
from clevrin.core.motion.measuring.pieces import PIECE_FRAMES, Blur, PieceShelf, Rows, State
from clevrin.core.motion.trace.trace import Model, Trace, picture_speeds
from clevrin.core.progress import Progress, step
from clevrin.core.shelf import Shelf

Size = tuple[int, int]
Pointed = tuple[int, float, float]
"""A frame, and a place in it as shares of the picture's size."""

VERSION = "6"
"""Goes up with every change that changes figures: measurements of older versions are made again."""


@dataclass(frozen=True, kw_only=True)
class TraceRequest:
    """What to measure, and `without` what. `fingerprint` saves reading the file to find its measurements; a file that
    has another one is not the film that was asked for. `pointed`: a place whose plane is to be followed, where several
    share the picture.
    """

    path: Path
    fingerprint: str | None = None
    model: Model = "auto"
    without: Without = ALL_COUNTS
    pointed: Pointed | None = None
    fresh: bool = False

    @cached_property
    def key(self) -> tuple[str, ...]:
        """By what its pieces are known on the shelf; the model is chosen later, from the same pieces."""
        return "trace", self.fingerprint or fingerprint(self.path), VERSION, *self.without.words

    @cached_property
    def course_key(self) -> tuple[str, ...]:
        """By what is known which plane is followed, and how it moves."""
        pointed = self.pointed
        return *self.key, "course", "" if pointed is None else f"{pointed[0]}:{pointed[1]:.5f},{pointed[2]:.5f}"


def trace_take(request: TraceRequest, shelf: Shelf, progress: Progress) -> Trace:
    """Measures a take, going on where an earlier run stopped; the pieces are kept on the shelf.

    Raises `MediaError` for what is not a film with at least two frames, `CancelledError` when stopped.
    Costs about twice what decoding alone costs, on two cores; memory grows by some 3 kB a frame while it tracks and
    by some 15 kB while the course is made. With carried areas the take is measured twice: they go where the first
    measurement says.
    """
    index = index_frames(request.path)
    if index.frames < 2:
        raise MediaError(f"{request.path.name} has a single frame: there is no motion to measure.")
    stored = None if request.fresh else stored_trace(request, shelf)
    if stored is not None:
        progress.report(index.frames, index.frames)
        return stored
    run = _Run(request, index, shelf)
    rows = run.rows(progress)
    if not rows.confidence.any():
        _check_readable(request.path, index)
    course = course_of(rows, work_size(*run.full_size)[::-1], progress, _pointed_at(request, run.full_size))
    shelf.put(
        {**vars(course), "full_size": np.array(run.full_size), "blur": rows.blur, "bridges": rows.bridges},
        *request.course_key,
    )
    return _trace(request, index, course, rows.blur, rows.bridges, run.full_size)


def stored_trace(request: TraceRequest, shelf: Shelf) -> Trace | None:
    """The trace of a take if all of it has been measured before; reads no picture."""
    stored = shelf.get(*request.course_key)
    if stored is None or not stored.keys() >= {"full_size", "blur", "bridges"}:
        return None  # told without reading the film's packets
    index = index_frames(request.path)
    course = Course.of(stored, index.frames)
    if course is None or not len(stored["blur"]) == len(stored["bridges"]) == index.frames:
        return None
    return _trace(request, index, course, stored["blur"], stored["bridges"], _size_of(stored))


def _pointed_at(request: TraceRequest, size: tuple[int, int]) -> tuple[int, Points] | None:
    """The frame and the place in working pixels about the centre whose plane is to be followed."""
    if request.pointed is None:
        return None
    frame, x, y = request.pointed
    return frame, (np.array([x, y]) - 0.5) * work_size(*size)


def _size_of(state: State) -> tuple[int, int]:
    """Columns and rows of the film's pictures."""
    width, height = (int(side) for side in state["full_size"])
    return width, height


class _Run:
    """One measurement of a take: what was kept of it, and the rest."""

    def __init__(self, request: TraceRequest, index: FrameIndex, shelf: Shelf) -> None:
        self._request = request
        self._index = index
        self._shelf = shelf
        self._pieces = PieceShelf(shelf, request.key)
        self._piece: list[tuple[Step, Blur | None]] = []
        self.full_size = (1, 1)
        """Columns and rows of the film's pictures, known once a frame of it was read."""

    def rows(self, progress: Progress) -> Rows:
        """All rows: those that were kept, and the others measured now."""
        total = self._index.frames
        parts: list[Rows] = []
        state: State | None = None
        if not self._request.fresh:
            parts, state = self._pieces.read_all(total)
        done = sum(len(part) for part in parts)
        if state is not None:
            self.full_size = _size_of(state)
        if done == total:
            progress.report(total, total)
            return Rows.joined(parts)
        feed = FrameFeed(self._request.path, self._index, self._areas(progress))
        # What going on needs of earlier frames lies on the way to the next one: nothing is decoded twice.
        needed = _needed(state)
        tracker = StepTracker()
        try:
            with feed.pictures([*needed, *range(done, total)]) as frames:
                if state is not None:
                    tracker.resume(state, {number: next(frames) for number in needed}, done - 1)
                unfinished = parts.pop() if parts and len(parts[-1]) < PIECE_FRAMES else Rows.of([])
                for frame, work in enumerate(frames, start=done):
                    self._piece.append(self._measured(tracker, work))
                    if len(unfinished) + len(self._piece) == PIECE_FRAMES:
                        parts.append(self._kept(len(parts), unfinished, tracker))
                        unfinished = Rows.of([])
                    step(progress, frame + 1, total)
        finally:
            if self._piece:
                parts.append(self._kept(len(parts), unfinished, tracker))
        return Rows.joined(parts)

    def _measured(self, tracker: StepTracker, work: Prepared | None) -> tuple[Step, Blur | None]:
        motion = tracker.follow(work)
        if work is None:
            return motion, None
        self.full_size = work.full_size
        shift = motion.motion[:2, 2]
        return motion, blur_length(work.sharp, (float(shift[0]), float(shift[1])))

    def _kept(self, number: int, before: Rows, tracker: StepTracker) -> Rows:
        rows = Rows.joined([before, Rows.of(self._piece)])
        self._pieces.write(number, rows, {**tracker.state, "full_size": np.array(self.full_size)})
        self._piece = []
        return rows

    def _areas(self, progress: Progress) -> Callable[[int], tuple[LeftOut, ...]]:
        """What is left out of each frame; carried areas go where the take says without them."""
        request, without = self._request, self._request.without
        plain = replace(request, without=replace(without, carried=()))
        return without.of_frames(trace_take(plain, self._shelf, progress) if without.carried else None)


def _needed(state: State | None) -> list[int]:
    """The frames whose pictures going on from a state needs, in their order."""
    if state is None:
        return []
    return sorted({int(state[name]) for name in ("key_number", "before_number")} - {-1})


def _check_readable(path: Path, index: FrameIndex) -> None:
    """Raises `MediaError` for a film of which not even two frames can be decoded."""
    with FilmReader(path, index) as reader:
        readable = 0
        for frame in range(index.frames):
            readable += reader.read_whole_luma(frame) is not None
            if readable == 2:
                return
    raise MediaError(f"{path.name} is damaged: no two of its frames can be read.")


def _trace(
    request: TraceRequest, index: FrameIndex, course: Course, blur: Points, bridges: NDArray[np.int64], size: Size
) -> Trace:
    width, height = size
    work_width, work_height = work_size(width, height)
    scale = np.array([width / work_width, height / work_height])
    model = simplest_model(course.cost, course.points) if request.model == "auto" else request.model
    work = course.motions[:, HOMOGRAPHY if model == "mesh" else MODELS.index(model)]
    # From working pixels about the centre to full-size pixels from the corner.
    full_from_work = np.diag([*scale, 1.0])
    full_from_work[:2, 2] = (width - 1) / 2, (height - 1) / 2
    motions = full_from_work @ _over_gaps(work, bridges) @ np.linalg.inv(full_from_work)
    motions /= motions[:, 2:, 2:]
    motions[0] = np.eye(3)
    # `blur_length` looks at the picture's inner half, by its window; a lens moves the sides faster in a pan.
    speeds = picture_speeds(course.motions[:, HOMOGRAPHY], np.array([work_width, work_height]) / 4)
    speeds = (speeds + np.append(speeds[1:], speeds[-1])) / 2
    return Trace(
        width=width,
        height=height,
        rate=index.rate,
        times_s=index.times_s.copy(),
        model=model,
        motions=motions,
        confidence=course.confidence.copy(),
        shutter_deg=fit_shutter(blur[:, 0], blur[:, 1], speeds),
        seen_blur_px=blur[:, 0] * scale[0],
        mesh=course.mesh * scale if model == "mesh" else None,
        sigma_px=course.sigma[:, HOMOGRAPHY if model == "mesh" else MODELS.index(model)] * float(scale.mean()),
        parallax_px=course.parallax * float(scale.mean()),
        changed=course.changed.copy(),
    )


def _over_gaps(motions: NDArray[np.float64], bridges: NDArray[np.int64]) -> Points:
    """The motions with those that lead over unknown frames shared out evenly among them."""
    if not bridges.any():
        return motions
    with importing:
        from scipy.linalg import fractional_matrix_power  # slow to import, and seldom needed

    shared = motions.copy()
    for frame in np.flatnonzero(bridges):
        count = int(bridges[frame]) + 1
        part = np.real(fractional_matrix_power(motions[frame], 1 / count))
        if np.isfinite(part).all() and frame >= count - 1:
            shared[frame - count + 1 : frame + 1] = part
    return shared
