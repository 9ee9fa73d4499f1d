"""Ready moves of a gate as poses, each with its figures to change; and what is done to poses as a whole."""

from collections.abc import Callable
from dataclasses import dataclass

from clevrin.core.document import Gate, Pose, Span
from clevrin.core.document.gating import LEAST_GATE_PX, SOFT, STILL

_CLOSE = 0.5
"""How large a gate is, of the whole, where a reveal begins."""


@dataclass(frozen=True, kw_only=True)
class MoveTerms:
    """What a ready move is made from: pixels of the upright source, frames of the take.

    `whole`: the width of the gate that rests; `x`, `y`: where the gate is now, or is to go; `amount`: how much of its
    width goes, or how far it drifts, as a share of that width; `frames`: over how many it goes, from `frame` on.
    """

    span: Span
    frame: int
    whole: float
    x: float
    y: float
    amount: float = 0.2
    frames: int = 12

    def pose(self, frame: int, size: float, across: float = 0.0, ease: float = STILL, stays: int = 0) -> Pose:
        width = max(LEAST_GATE_PX, self.whole * size)
        x = self.x + across * self.whole
        return Pose(frame=frame, x=x, y=self.y, width=width, arrive=ease, leave=ease, stays=stays)

    @property
    def last(self) -> int:
        return self.span.end - 1


def _push(terms: MoveTerms) -> tuple[Pose, ...]:
    return terms.pose(terms.span.first, 1.0, ease=SOFT), terms.pose(terms.last, 1 - terms.amount, ease=SOFT)


def _pull(terms: MoveTerms) -> tuple[Pose, ...]:
    return terms.pose(terms.span.first, 1 - terms.amount, ease=SOFT), terms.pose(terms.last, 1.0, ease=SOFT)


def _punch(terms: MoveTerms) -> tuple[Pose, ...]:
    start = min(terms.frame, terms.last - 1)
    end = min(start + max(1, terms.frames), terms.last)
    return terms.pose(start, 1.0), terms.pose(end, 1 - terms.amount)


def _punch_and_back(terms: MoveTerms) -> tuple[Pose, ...]:
    there = _punch(terms)
    back = there[1].frame + 2 * max(1, terms.frames)
    if back + terms.frames > terms.last:
        return there
    held = there[1].changed(stays=max(1, terms.frames))
    return there[0], held, terms.pose(back + terms.frames, 1.0)


def _drift(way: int) -> "Move":
    def drift(terms: MoveTerms) -> tuple[Pose, ...]:
        size = 1 - terms.amount
        first, last = (terms.pose(f, size, across=way * a * terms.amount / 2, ease=SOFT) for f, a in _ends(terms))
        return first, last

    return drift


def _ends(terms: MoveTerms) -> tuple[tuple[int, int], tuple[int, int]]:
    return (terms.span.first, -1), (terms.last, 1)


def _reveal(terms: MoveTerms) -> tuple[Pose, ...]:
    return terms.pose(terms.span.first, _CLOSE, ease=SOFT), terms.pose(terms.last, 1.0, ease=SOFT)


Move = Callable[[MoveTerms], tuple[Pose, ...]]

READY: tuple[tuple[str, str, str, Move], ...] = (
    ("push", "slow push", "Comes nearer from the first frame to the last", _push),
    ("pull", "slow pull", "Goes back from the first frame to the last", _pull),
    ("punch", "punch-in", "Comes nearer at once, from the frame that is looked at", _punch),
    ("punch-back", "punch and back", "The same, stays, and goes back", _punch_and_back),
    ("left", "drift left", "Goes slowly to the left over the whole shot", _drift(-1)),
    ("right", "drift right", "Goes slowly to the right over the whole shot", _drift(1)),
    ("reveal", "reveal", "From close by to the whole picture", _reveal),
)
"""Key, words, what it does, and how it is made."""


def moved_by(name: str, terms: MoveTerms) -> tuple[Pose, ...]:
    """The poses of a ready move; raises `KeyError` for a name that is none. Two poses on one frame become one."""
    move = {key: made for key, _, _, made in READY}[name]
    poses = {pose.frame: pose for pose in move(terms)}
    return tuple(poses[frame] for frame in sorted(poses))


def mirrored(gate: Gate, width: int, height: int, *, across: bool = True) -> Gate:
    """The gate's poses on the other side of the picture, turned the other way."""

    def other(pose: Pose) -> Pose:
        if across:
            return pose.changed(x=width - 1 - pose.x, turn_deg=-pose.turn_deg)
        return pose.changed(y=height - 1 - pose.y, turn_deg=-pose.turn_deg)

    return gate.changed(poses=tuple(other(pose) for pose in gate.poses))


def backward(gate: Gate, span: Span) -> Gate:
    """The gate's poses in the opposite order within a span: what came first comes last."""

    def other(pose: Pose) -> Pose:
        frame = max(0, span.first + span.end - 1 - pose.last)
        return pose.changed(frame=frame, arrive=pose.leave, leave=pose.arrive)

    return gate.changed(poses=_in_order([other(pose) for pose in gate.poses]))


def put_on(gate: Gate, span: Span, other: Span, output: str | None) -> Gate:
    """The poses of a gate over one span as those of another one, from its start on."""
    moved = [pose.changed(frame=max(0, pose.frame - span.first + other.first)) for pose in gate.poses]
    kept = [pose for pose in moved if pose.frame < other.end]
    return gate.changed(output=output, poses=_in_order(kept), follows=(), counter_zoom=None)


def _in_order(poses: list[Pose]) -> tuple[Pose, ...]:
    by_frame = {pose.frame: pose for pose in poses}
    return tuple(by_frame[frame] for frame in sorted(by_frame))
