"""Measuring a take: the trace, made in pieces that are kept, so that stopping loses nothing."""

import queue
import threading
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from clevrin.core.errors import ClevrinError, MediaError
from clevrin.core.media.index import FrameIndex, index_frames
from clevrin.core.media.probe import fingerprint
from clevrin.core.media.reading import FilmReader
from clevrin.core.motion.blur import blur_length, fit_shutter
from clevrin.core.motion.cache import Shelf
from clevrin.core.motion.models import MODELS, apply, simplest_model
from clevrin.core.motion.trace import Model, Trace
from clevrin.core.motion.tracking import Area, Prepared, StepTracker, prepared, reduced
from clevrin.core.progress import Progress, step

VERSION = "2"
"""Goes up with every change that changes figures: measurements of older versions are made again."""
_PIECE_FRAMES = 60
_AHEAD = 12


@dataclass(frozen=True, kw_only=True)
class TraceRequest:
    """What to measure. `leave_out`: areas x, y, w, h as shares of the picture's size that do not count.

    `fingerprint` saves reading the file to find its measurements.
    """

    path: Path
    fingerprint: str | None = None
    model: Model = "auto"
    leave_out: tuple[Area, ...] = ()
    fresh: bool = False


def trace_take(request: TraceRequest, shelf: Shelf, progress: Progress) -> Trace:
    """Measures a take, going on where an earlier run stopped; the pieces are kept on the shelf.

    Raises `MediaError` for what is not a film with at least two frames, `CancelledError` when stopped.
    Costs about 15 ms a frame at 720p on one core beside the decoding; memory does not grow with the length.
    """
    index = index_frames(request.path)
    if index.frames < 2:
        raise MediaError(f"{request.path.name} has a single frame: there is no motion to measure.")
    key = _key(request)
    rows = None if request.fresh else _stored_rows(shelf, key, index)
    rows = _measure_rows(request, index, rows or _Rows.empty(), shelf, key, progress)
    return _trace(request, index, rows)


def stored_trace(request: TraceRequest, shelf: Shelf) -> Trace | None:
    """The trace of a take if all of it has been measured before; reads no picture."""
    key = _key(request)
    stored = shelf.get(*key)
    if stored is None or "finished" not in stored:
        return None
    index = index_frames(request.path)
    rows = _stored_rows(shelf, key, index)
    return _trace(request, index, rows) if rows is not None and len(rows) == index.frames else None


def _key(request: TraceRequest) -> tuple[str, ...]:
    areas = ";".join(",".join(f"{v:.5f}" for v in area) for area in request.leave_out)
    return "trace", request.fingerprint or fingerprint(request.path), VERSION, areas


@dataclass(frozen=True, kw_only=True, eq=False)
class _Rows:
    """What was measured per frame, in working pixels about the centre; grows by pieces."""

    motions: NDArray[np.float64]  # (n, 3, 3, 3)
    cost: NDArray[np.float64]  # (n, 3)
    points: NDArray[np.int64]  # (n,)
    confidence: NDArray[np.float64]  # (n,)
    blur: NDArray[np.float64]  # (n, 2): length, distinctness; NaN where not told

    @staticmethod
    def empty() -> "_Rows":
        return _Rows(
            motions=np.empty((0, 3, 3, 3)),
            cost=np.empty((0, 3)),
            points=np.empty(0, np.int64),
            confidence=np.empty(0),
            blur=np.empty((0, 2)),
        )

    def __len__(self) -> int:
        return len(self.points)

    def joined(self, later: "_Rows") -> "_Rows":
        return _Rows(**{name: np.concatenate([mine, vars(later)[name]]) for name, mine in vars(self).items()})


def _stored_rows(shelf: Shelf, key: tuple[str, ...], index: FrameIndex) -> _Rows | None:
    stored = shelf.get(*key)
    if stored is None:
        return None
    try:
        rows = _Rows(**{name: stored[name] for name in vars(_Rows.empty())})
    except KeyError:
        return None
    whole = all(len(array) == len(rows) for array in vars(rows).values())
    shaped = rows.motions.shape[1:] == (3, 3, 3) and rows.blur.shape[1:] == (2,)
    return rows if whole and shaped and 0 < len(rows) <= index.frames else None


def _measure_rows(
    request: TraceRequest,
    index: FrameIndex,
    rows: _Rows,
    shelf: Shelf,
    key: tuple[str, ...],
    progress: Progress,
) -> _Rows:
    if len(rows) == index.frames:
        progress.report(index.frames, index.frames)
        return rows
    tracker = StepTracker()
    first = max(0, len(rows) - 1)
    piece: list[tuple] = []
    try:
        with _prepared_frames(request, index, first) as frames:
            for frame, work in enumerate(frames, start=first):
                if frame < len(rows):
                    tracker.restart(work, rows.motions[frame, MODELS.index("homography")])
                    continue
                motion = tracker.follow(work)
                shift = motion.motions[MODELS.index("homography")][:2, 2]
                seen = blur_length(work.gray, (float(shift[0]), float(shift[1])))
                piece.append((motion, seen or (np.nan, np.nan)))
                if len(piece) == _PIECE_FRAMES:
                    rows, piece = _kept(rows, piece, shelf, key), []
                step(progress, frame + 1, index.frames)
    finally:
        if piece:
            rows = _kept(rows, piece, shelf, key)
    shelf.put({**vars(rows), "finished": np.array(True)}, *key)
    return rows


def _kept(rows: _Rows, piece: list[tuple], shelf: Shelf, key: tuple[str, ...]) -> _Rows:
    rows = rows.joined(
        _Rows(
            motions=np.array([motion.motions for motion, _ in piece]),
            cost=np.array([motion.cost for motion, _ in piece]),
            points=np.array([motion.points for motion, _ in piece], np.int64),
            confidence=np.array([motion.confidence for motion, _ in piece]),
            blur=np.array([seen for _, seen in piece]),
        )
    )
    shelf.put(vars(rows), *key)
    return rows


@contextmanager
def _prepared_frames(request: TraceRequest, index: FrameIndex, first: int) -> Iterator[Iterator[Prepared]]:
    """The working pictures from `first` on; decoding and preparing run on a thread of their own."""
    ahead: queue.Queue[Prepared | ClevrinError | None] = queue.Queue(_AHEAD)
    stop = threading.Event()

    def put(item: Prepared | ClevrinError | None) -> bool:
        while not stop.is_set():
            try:
                ahead.put(item, timeout=0.05)
                return True
            except queue.Full:
                continue
        return False

    def run() -> None:
        try:
            with FilmReader(request.path, index) as reader:
                for frame in range(first, index.frames):
                    if not put(prepared(reader.read_luma(frame), request.leave_out)):
                        return
            put(None)
        except ClevrinError as error:
            put(error)

    def frames() -> Iterator[Prepared]:
        while (item := ahead.get()) is not None:
            if isinstance(item, ClevrinError):
                raise item
            yield item

    worker = threading.Thread(target=run, name=f"reading {request.path.name}", daemon=True)
    worker.start()
    try:
        yield frames()
    finally:
        stop.set()
        worker.join()


def _trace(request: TraceRequest, index: FrameIndex, rows: _Rows) -> Trace:
    with FilmReader(request.path, index) as reader:
        luma = reader.read_luma(0)
    height, width = luma.shape
    work = reduced(luma)
    scale = np.array([width / work.shape[1], height / work.shape[0]])
    model = simplest_model(rows.cost, rows.points) if request.model == "auto" else request.model
    motions = rows.motions[:, MODELS.index(model)]
    # From working pixels about the centre to full-size pixels from the corner.
    full_from_work = np.diag([*scale, 1.0])
    full_from_work[:2, 2] = (width - 1) / 2, (height - 1) / 2
    motions = full_from_work @ motions @ np.linalg.inv(full_from_work)
    motions /= motions[:, 2:, 2:]
    motions[0] = np.eye(3)
    speeds = _mean_speeds(rows.motions[:, MODELS.index("homography")], work.shape)
    return Trace(
        width=width,
        height=height,
        rate=index.rate,
        times_s=index.times_s.copy(),
        model=model,
        motions=motions,
        confidence=rows.confidence.copy(),
        shutter_deg=fit_shutter(rows.blur[:, 0], rows.blur[:, 1], speeds),
    )


def _mean_speeds(motions: NDArray[np.float64], shape: tuple[int, ...]) -> NDArray[np.float64]:
    """(frames,): how fast the picture moves while a frame is exposed, in the mean over its inner half.

    That is where `blur_length` looks, by its window; a lens moves the sides faster than the centre in a pan.
    """
    half = np.array([shape[1], shape[0]]) / 2
    grid = np.stack(np.meshgrid(np.linspace(-0.5, 0.5, 5), np.linspace(-0.5, 0.5, 5)), axis=-1).reshape(-1, 2) * half
    steps = np.array([np.hypot(*(apply(motion, grid) - grid).T).mean() for motion in motions])
    return (steps + np.append(steps[1:], steps[-1])) / 2
