"""What of a reel is not right, or may not be: found before it is delivered, each with a frame where it is seen."""

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Literal

import numpy as np

from clevrin.core.document import LaneName, Project
from clevrin.core.document.model import Meant
from clevrin.core.hold.blurred import blurred_frames
from clevrin.core.join.between import DISAGREES, at_cut, made_join, what_is_short
from clevrin.core.motion.trace.trace import Trace
from clevrin.core.motion.whips import find_whips
from clevrin.core.pace import Placed, placed_shots
from clevrin.core.progress import Progress, step
from clevrin.core.render.plan import Layer
from clevrin.core.render.planning.layers import plan_shown
from clevrin.core.render.resolving.hold_request import HoldRequest
from clevrin.core.render.resolving.resolving import Held, ResolvedShot, Shown, complete
from clevrin.core.render.sources import Sources
from clevrin.core.sound.loudness import HIGHEST_PEAK_DB, TENTHS, LoudnessCourse
from clevrin.core.sound.mix import has_sound, reel_loudness
from clevrin.core.sound.takes import sounds

What = Literal["join", "blur", "edge", "invented", "dropped", "enlarged", "sound"]

_SOFT, _TOO_SOFT = 0.95, 0.5
"""Pixels of the source for one of the output: from fewer it is seen, and from half of one on nobody wants it."""
_FEW = 2
"""So few frames that are blurred or left out are not worth looking at."""

_MOST_LOUD = 50


@dataclass(frozen=True, kw_only=True)
class ReelMark:
    """Something about a frame of the reel, in a sentence; `shot_id`: the shot that it concerns, "" for all of it.

    `choice`: it comes of a choice, which may be meant, and is no fault.
    """

    frame: int
    what: What
    sentence: str
    shot_id: str = ""
    choice: Meant | None = None


@dataclass(frozen=True, kw_only=True, eq=False)
class LookedOver:
    """What was found on a reel, in the order of its frames, and how loud it is (None: nothing is heard of it).

    `source_px`: for each shot by its id, pixels of the source for one of the output, where there are the fewest.
    """

    marks: tuple[ReelMark, ...]
    heard: LoudnessCourse | None
    source_px: dict[str, float]

    def faults(self) -> tuple[ReelMark, ...]:
        """What is not right."""
        return tuple(each for each in self.marks if each.choice is None)

    def choices(self, project: Project) -> tuple[ReelMark, ...]:
        """What comes of choices, as far as nobody has said that it is meant."""
        return tuple(each for each in self.marks if each.choice is not None and each.choice not in project.meant)


def look_over(project: Project, sources: Sources, progress: Progress) -> LookedOver:
    """All that is not right with a reel; measures what its holds need.

    Raises `ClevrinError` for what cannot be measured or read, `CancelledError`. Costs some 1 ms a frame, and what
    mixing the sound costs.
    """
    row = placed_shots(project)
    found: list[ReelMark] = []
    shots: dict[str, ResolvedShot] = {}
    source_px: dict[str, float] = {}
    for number, placed in enumerate(row):
        request = HoldRequest.of(project, placed.shot)
        shots[placed.shot.id] = resolved = complete(request, sources.measured, progress)
        trace = sources.measured.measure(placed.take, progress) if placed.take.facts.frames > 1 else None
        size = project.reel.size
        shown = [Shown(resolved=resolved, placed=placed, at=at, weight=1.0) for at in range(placed.start, placed.end)]
        layers = [plan_shown(each, size, size) for each in shown]
        fine = [_source_px(each, size) for each in layers]
        source_px[placed.shot.id] = min(fine)
        found += _of_shot(placed, resolved, trace, shown, layers, fine)
        step(progress, number + 1, len(row) + 1)
    for number in range(len(row) - 1):
        found += _of_join(project, row, number, sources, shots)
    heard = _heard(project, shots, progress)
    found += _of_sound(project, heard)
    step(progress, len(row) + 1, len(row) + 1)
    return LookedOver(marks=tuple(sorted(found, key=lambda each: each.frame)), heard=heard, source_px=source_px)


def _of_shot(
    placed: Placed,
    resolved: ResolvedShot,
    trace: Trace | None,
    shown: list[Shown],
    layers: list[Layer],
    fine: list[float],
) -> Iterator[ReelMark]:
    take, shot = placed.take, placed.shot

    def mark(frame: int, what: What, sentence: str, choice: Meant | None = None) -> ReelMark:
        return ReelMark(frame=frame, what=what, sentence=sentence, shot_id=shot.id, choice=choice)

    worst = int(np.argmin(fine))
    if fine[worst] < _SOFT:
        chosen: Meant | None = "enlarged" if fine[worst] >= _TOO_SOFT else None
        yield mark(placed.start + worst, "enlarged", f"{take.name}: enlarged {1 / fine[worst]:.2f}×", chosen)
    bare = [k for k, each in enumerate(layers) if each.window is not None]
    if bare and resolved.fit == "fill":
        yield mark(placed.start + bare[0], "edge", f"{take.name}: edge seen in {len(bare)} frames")
    invented = [k for k, each in enumerate(layers) if any(s.between is not None for s in each.samples)]
    if invented:
        yield mark(placed.start + invented[0], "invented", f"{take.name}: {len(invented)} frames invented", "invented")
    gone = np.abs(np.diff([each.frame for each in shown])) - 1
    if (dropped := int(gone[gone > 0].sum())) > _FEW:
        first = placed.start + int(np.argmax(gone > 0)) + 1
        yield mark(first, "dropped", f"{take.name}: {dropped} frames left out", "dropped")
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

    made = made_join(row, number, project.reel.aspect, lambda shot: shots[shot.id].course)
    if made is not None:
        for sentence in what_is_short(row, number, made):
            yield mark(sentence)
    *_, off = at_cut(before, after, sources.measured.trace(before.take), sources.measured.trace(after.take))
    if off >= DISAGREES:
        yield mark(f"{before.take.name} to {after.take.name}: differs by {off:.0%}")


def _heard(project: Project, shots: dict[str, ResolvedShot], progress: Progress) -> LoudnessCourse | None:
    if not has_sound(project):
        return None
    return reel_loudness(project, progress, lambda shot: shots[shot.id].course)


def _of_sound(project: Project, heard: LoudnessCourse | None) -> Iterator[ReelMark]:
    there: dict[LaneName, bool] = {
        "takes": any(sounds(placed, project) for placed in placed_shots(project)),
        "music": project.music is not None,
    }
    for name, present in there.items():
        if present and project.mix.lane(name).gain == 0:
            yield ReelMark(frame=0, what="sound", sentence=f"The lane of {name} is not heard", choice="sound")
    if heard is None:
        return
    over = np.flatnonzero(heard.peak_db > HIGHEST_PEAK_DB)
    # What is too loud again within a second is one thing to look at.
    for stretch in np.split(over, np.flatnonzero(np.diff(over) > TENTHS) + 1)[:_MOST_LOUD] if len(over) else ():
        worst = int(stretch[np.argmax(heard.peak_db[stretch])])
        sentence = f"The sound goes up to {heard.peak_db[worst]:.1f} dB"
        yield ReelMark(frame=int(worst / TENTHS * project.reel.rate), what="sound", sentence=sentence)
