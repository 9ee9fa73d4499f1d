"""Where a take can be left or entered by a cut that is not seen: its whips, rolls and pushes, and what is even in it.

What is read from a take's pictures is read once, whatever it is compared with afterwards.
"""

from dataclasses import dataclass, replace
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from clevrin.core.document import Span
from clevrin.core.document.model import Turns
from clevrin.core.document.model import turned as turned_direction
from clevrin.core.join.frame_signature import glance
from clevrin.core.media.reading import FilmReader
from clevrin.core.motion.trace.trace import LOW_CONFIDENCE, Trace
from clevrin.core.motion.whips import Whip, find_whips
from clevrin.core.runs import runs_of

Numbers = NDArray[np.float64]
MoveKind = Literal["whip", "roll", "push", "even"]
MOVES: tuple[MoveKind, ...] = ("whip", "roll", "push", "even")

_LITTLE_FOLLOWED = 0.75
"""Confidence under which the picture may be even: where much can be followed, there is much to be seen."""
EVEN_L = 3.0
"""What is left of an even picture beside its light and shade, as one deviation, in CIELAB."""
_LEAST_EVENNESS = 0.3
_SHORTEST_EVEN, _LONGEST_EVEN_S = 2, 1.6


@dataclass(frozen=True, kw_only=True, eq=False)
class Looked:
    """Frames of a take between which a cut may lie, and how they look: `lab` (n, 3, 3, 3), `evenness` (n,) 0 to 1.

    `peak`: the frame at which the move is fastest, or the picture is most even.
    """

    move: MoveKind
    numbers: NDArray[np.int64]
    peak: int
    lab: Numbers
    evenness: Numbers


@dataclass(frozen=True, kw_only=True, eq=False)
class Moves:
    """What of a take is worth cutting at."""

    trace: Trace
    looked: tuple[Looked, ...]

    @staticmethod
    def of(reader: FilmReader, trace: Trace) -> "Moves":
        """Looks at the frames of a take's whips, and at those in which little could be followed; decodes only them."""
        whips = find_whips(trace)
        found = [_looked(reader, _move_of(whip), np.arange(whip.start, whip.end + 1), whip.peak) for whip in whips]
        return Moves(trace=trace, looked=(*found, *_even(reader, trace)))


@dataclass(frozen=True, kw_only=True, eq=False)
class Frames:
    """Frames of one stretch, as fast as they play: velocity in widths/s (x right, y up: the camera's), blur in widths.

    Of a roll or a push the velocity is that of the picture's corners, in x: turning anticlockwise, or growing; of what
    is even it is none where it is not known. `rates`: how many frames go by in a second of the reel at each of them;
    `change`: by how much the speed grows.
    """

    move: MoveKind
    numbers: NDArray[np.int64]
    velocity: Numbers
    blur: Numbers
    lab: Numbers
    evenness: Numbers
    peak: float
    rates: Numbers
    change: Numbers

    @staticmethod
    def of(trace: Trace, looked: Looked, within: Span, rates: Numbers) -> "Frames | None":
        """Those within a span; None where what counts of the stretch lies outside. `rates` (frames,): of all frames."""
        if looked.peak not in within:
            return None
        kept = (looked.numbers >= within.first) & (looked.numbers < within.end)
        numbers = looked.numbers[kept]
        if looked.move in ("roll", "push"):
            around = np.radians(trace.turn_deg) if looked.move == "roll" else trace.growth
            corner = float(np.hypot(trace.width, trace.height)) / 2 / trace.width
            rush = np.column_stack([around * rates * corner, np.zeros(trace.frames)])
            speed, blur = np.abs(rush[:, 0]), trace.whole_speed_px * trace.open_share / trace.width
        else:
            rush = trace.velocity_px * (rates[:, None] / trace.width) * [-1.0, 1.0]
            speed, blur = trace.widths_per_s * rates / float(trace.rate), trace.blur_px / trace.width
        if looked.move == "even":  # what is not known of its motion is a guess between what is
            known = trace.confidence >= LOW_CONFIDENCE
            rush, blur = rush * known[:, None], blur * known
        change = np.gradient(speed)[numbers] if trace.frames > 1 else np.zeros(len(numbers))
        return Frames(
            move=looked.move,
            numbers=numbers,
            velocity=rush[numbers],
            blur=blur[numbers],
            lab=looked.lab[kept],
            evenness=looked.evenness[kept],
            peak=float(speed[looked.peak]),
            rates=rates[numbers],
            change=change,
        )

    def turned(self, turns: Turns, wide: float) -> "Frames":
        """The same in a picture turned so many quarters, where it is `wide` times as wide as high and fills the reel.

        A quarter turn enlarges it by that, and so its velocity and its blur.
        """
        if not turns:
            return self
        times = wide if turns % 2 else 1.0
        moved = np.column_stack(turned_direction(self.velocity.T, turns)) if self.move in ("whip", "even") else None
        return replace(
            self,
            velocity=self.velocity if moved is None else moved * times,
            blur=self.blur * (1.0 if moved is None else times),
            peak=self.peak * (1.0 if moved is None else times),
            change=self.change * (1.0 if moved is None else times),
            lab=np.rot90(self.lab, turns, axes=(1, 2)),
        )


def _move_of(whip: Whip) -> MoveKind:
    return "roll" if whip.kind == "roll" else "push" if whip.kind == "zoom" else "whip"


def _looked(reader: FilmReader, move: MoveKind, numbers: NDArray[np.int64], peak: int) -> Looked:
    looks = glance(reader, tuple(int(n) for n in numbers))
    return Looked(move=move, numbers=numbers, peak=peak, lab=looks.lab, evenness=_evenness(looks.left_l))


def _evenness(left_l: Numbers) -> Numbers:
    return np.exp(-0.5 * (left_l / EVEN_L) ** 2)


def _even(reader: FilmReader, trace: Trace) -> list[Looked]:
    """The stretches in which the picture is even: sky, wall, floor, darkness, light."""
    may_be = trace.confidence < _LITTLE_FOLLOWED
    may_be[0] = trace.frames > 1 and may_be[1]  # nothing is followed into the first frame
    found = []
    for begins, ends in runs_of(may_be):
        numbers = np.arange(begins, ends)
        looks = glance(reader, tuple(int(n) for n in numbers))
        evenness = _evenness(looks.left_l)
        for first, end in runs_of(evenness >= _LEAST_EVENNESS):
            run = np.arange(first, end)
            run = run[_outermost(len(run), round(_LONGEST_EVEN_S * float(trace.rate)))]
            if len(run) < _SHORTEST_EVEN:
                continue
            best = int(numbers[run[np.argmax(evenness[run])]])
            found.append(
                Looked(move="even", numbers=numbers[run], peak=best, lab=looks.lab[run], evenness=evenness[run])
            )
    return found


def _outermost(count: int, most: int) -> NDArray[np.int64]:
    """Of so many frames the first and the last ones, `most` in all: nobody cuts in the middle of a long darkness."""
    if count <= most:
        return np.arange(count)
    half = most // 2
    return np.concatenate([np.arange(half), np.arange(count - half, count)])
