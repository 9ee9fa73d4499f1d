"""What of a reel is not right, or may not be: found before it is delivered, each with a frame where it is seen."""

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from clevrin.core.document import Project
from clevrin.core.hold.blurred import blurred_frames
from clevrin.core.join.between import DISAGREES, made_join, mismatch, velocity_at_cut, what_is_short
from clevrin.core.join.kinds import kind_of
from clevrin.core.media.writing import SOUND_RATE
from clevrin.core.motion.trace import Trace
from clevrin.core.motion.whips import find_whips
from clevrin.core.pace import Placed, placed_shots
from clevrin.core.progress import Progress, step
from clevrin.core.render.hold_request import HoldRequest
from clevrin.core.render.plan import Layer
from clevrin.core.render.planner import plan_shown
from clevrin.core.render.resolving import Held, ResolvedShot, Shown, complete
from clevrin.core.render.sources import Sources
from clevrin.core.sound.loudness import HIGHEST_PEAK_DB, loudness_of
from clevrin.core.sound.mix import ReelSound, has_sound

What = Literal["join", "blur", "edge", "invented", "dropped", "enlarged", "sound"]

_SOFT = 0.95
_FEW = 2
"""So few frames that are blurred or left out are not worth looking at."""


@dataclass(frozen=True, kw_only=True)
class ReelMark:
    """Something about a frame of the reel, in a sentence; `shot_id`: the shot that it concerns, "" for all of it."""

    frame: int
    what: What
    sentence: str
    shot_id: str = ""


def marks_of(project: Project, sources: Sources, progress: Progress) -> tuple[ReelMark, ...]:
    """All that is not right with a reel, in the order of its frames; measures what its holds need.

    Raises `ClevrinError` for what cannot be measured or read, `CancelledError`. Costs some 1 ms a frame, and what
    mixing the sound costs.
    """
    row = placed_shots(project)
    found: list[ReelMark] = []
    shots: dict[str, ResolvedShot] = {}
    for number, placed in enumerate(row):
        request = HoldRequest.of(project, placed.shot)
        shots[placed.shot.id] = resolved = complete(request, sources.measured, progress)
        trace = sources.measured.measure(placed.take, progress) if placed.take.facts.frames > 1 else None
        found += _of_shot(placed, resolved, trace, (project.reel.width, project.reel.height))
        step(progress, number + 1, len(row) + 1)
    for number in range(len(row) - 1):
        found += _of_join(project, row, number, sources, shots)
    found += _of_sound(project, shots)
    step(progress, len(row) + 1, len(row) + 1)
    return tuple(sorted(found, key=lambda each: each.frame))


def _of_shot(placed: Placed, resolved: ResolvedShot, trace: Trace | None, size: tuple[int, int]) -> Iterator[ReelMark]:
    take, shot = placed.take, placed.shot

    def mark(frame: int, what: What, sentence: str) -> ReelMark:
        return ReelMark(frame=frame, what=what, sentence=sentence, shot_id=shot.id)

    shown = [Shown(resolved=resolved, placed=placed, at=at, weight=1.0) for at in range(placed.start, placed.end)]
    layers = [plan_shown(each, size, size) for each in shown]
    fine = [_source_px(each, size) for each in layers]
    worst = int(np.argmin(fine))
    if fine[worst] < _SOFT:
        yield mark(placed.start + worst, "enlarged", f"{take.name}: enlarged {1 / fine[worst]:.2f}×")
    bare = [k for k, each in enumerate(layers) if each.window is not None]
    if bare and resolved.fit == "fill":
        yield mark(placed.start + bare[0], "edge", f"{take.name}: edge seen in {len(bare)} frames")
    invented = [k for k, each in enumerate(layers) if any(s.between is not None for s in each.samples)]
    if invented:
        yield mark(placed.start + invented[0], "invented", f"{take.name}: {len(invented)} frames invented")
    gone = np.abs(np.diff([each.frame for each in shown])) - 1
    if (dropped := int(gone[gone > 0].sum())) > _FEW:
        first = placed.start + int(np.argmax(gone > 0)) + 1
        yield mark(first, "dropped", f"{take.name}: {dropped} frames left out")
    if trace is not None and isinstance(resolved.state, Held):
        blurred = blurred_frames(trace, shot.span, resolved.state.path, find_whips(trace))
        if len(blurred) > _FEW:
            at = [each.frame for each in shown]
            first = placed.start + int(np.argmin(np.abs(np.array(at) - blurred[0])))
            yield mark(first, "blur", f"{take.name}: {len(blurred)} frames blurred as shot")


def _source_px(layer: Layer, size: tuple[int, int]) -> float:
    """Pixels of the source for each pixel of the output, across its middle."""
    middle = np.array([[size[0] / 2 - 1, size[1] / 2, 1], [size[0] / 2 + 1, size[1] / 2, 1]])
    there = middle @ layer.matrix.T
    places = there[:, :2] / there[:, 2:]
    return float(np.hypot(*(places[1] - places[0])) / 2)


def _of_join(
    project: Project, row: tuple[Placed, ...], number: int, sources: Sources, shots: dict[str, ResolvedShot]
) -> Iterator[ReelMark]:
    before, after = row[number], row[number + 1]

    def mark(sentence: str) -> ReelMark:
        return ReelMark(frame=before.end, what="join", sentence=sentence, shot_id=before.shot.id)

    made = made_join(row, number, project.reel.height / project.reel.width, lambda shot: shots[shot.id].course)
    if made is not None:
        for sentence in what_is_short(row, number, made):
            yield mark(sentence)
    if kind_of(before.shot.leave).long:
        return
    traces = [sources.measured.trace(each.take) for each in (before, after)]
    sides = [
        None if trace is None else velocity_at_cut(placed, trace, leaving=leaving)
        for placed, trace, leaving in zip((before, after), traces, (True, False), strict=True)
    ]
    off = mismatch(sides[0], sides[1])
    if off >= DISAGREES:
        yield mark(f"{before.take.name} to {after.take.name}: differs by {off:.0%}")


def _of_sound(project: Project, shots: dict[str, ResolvedShot]) -> Iterator[ReelMark]:
    if not has_sound(project):
        return
    sound = ReelSound(project, None, lambda shot: shots[shot.id].course)
    loudest, at = 0.0, 0

    def blocks() -> Iterator[NDArray[np.float32]]:
        nonlocal loudest, at
        for first in range(0, sound.samples, SOUND_RATE):
            block = sound.read(first, min(SOUND_RATE, sound.samples - first))
            peaks = np.abs(block).max(axis=1)
            if float(peaks.max()) > loudest:
                loudest, at = float(peaks.max()), first + int(np.argmax(peaks))
            yield block

    try:
        found = loudness_of(blocks())
    finally:
        sound.close()
    if found.peak_db is not None and found.peak_db > HIGHEST_PEAK_DB:
        frame = int(at * project.reel.rate / SOUND_RATE)
        yield ReelMark(frame=frame, what="sound", sentence=f"The sound goes up to {found.peak_db:.1f} dB")
