"""Which frames of two takes agree so well in motion, blur and colour that a cut between them is not seen.

The score of a pair is 100 times the product of bell curves over the disagreement in direction (25° is one deviation),
log speed (0.35), log blur (0.5) and colour (CIE76 ΔE 60, mean of nine fields: blur hides it, and it can be balanced),
of how fast either side is against its own peak (a cut hides where the motion is greatest), of a share for
acceleration that goes the wrong way (leaving should rise, arriving fall), of what is left of either shot (under half
a second as the square of its share of that; and what of it lies beside the whip in full only as a last resort), and
of a small price for mirroring and for playing backwards, and a higher one for a quarter turn, which shows a third of
a wide picture. Every factor is 0 to 1, so the score is a percentage.

Where both pictures are even (sky, wall, darkness) a cut is not seen whatever the cameras do, if they are of one colour:
there the score is of how even they are (geometric mean of both), of colour (ΔE 8), of a share where they move against
each other, and of how little of what is even has to be seen.
"""

from collections.abc import Collection
from dataclasses import dataclass
from fractions import Fraction
from functools import cached_property
from itertools import product

import numpy as np
from numpy.typing import NDArray

from clevrin.core.document import Span
from clevrin.core.document.model import QUARTERS, Mirror, Turns, mirror_signs
from clevrin.core.join.cut_candidates import Frames, MoveKind, Moves
from clevrin.core.join.kinds.kind import MOVES_WIDTHS_PER_S
from clevrin.core.media.reading import FilmReader
from clevrin.core.motion.trace.trace import Trace
from clevrin.core.pace import Placed, rates_along

Numbers = NDArray[np.float64]

MIRRORINGS: tuple[Mirror, ...] = (None, "horizontal", "vertical", "both")
_TURNINGS: tuple[tuple[Mirror, Turns], ...] = ((None, 1), (None, 3), ("horizontal", 1), ("horizontal", 3))
"""With what mirroring does alone these are all ways in which a picture can lie."""
_TURNED_SHARE = 0.6
_MIRROR_SHARE = {None: 1.0, "horizontal": 0.95, "vertical": 0.85, "both": 0.82}
_BACKWARDS_SHARE = 0.85
_DIRECTION_DEG, _LOG_SPEED, _LOG_BLUR, _COLOUR_DE = 25.0, 0.35, 0.5, 60.0
_WRONG_WAY_SHARE = 0.9
_EVEN_COLOUR_DE, _EVEN_SEEN_S = 8.0, 1.5
_OTHER_WAY_DEG, _OTHER_WAY_SHARE = 90.0, 0.8
ENOUGH_S = 0.5
"""What has to be left of a shot, in seconds, that it is seen as one."""
WORTH_MATCHING = 30.0
"""From this score on, moves that agree are better than one that is made."""
_APART_FRAMES = 2
_LEAST_SCORE = 1.0
_UNSEEN_MIRRORED, _UNSEEN_BACKWARD = 0.6, 0.5
"""What a proposal counts that nobody looks at before it is taken: writing and somebody who walks look wrong then."""


@dataclass(frozen=True, kw_only=True)
class Proposal:
    """A pair of frames to cut between: `out_frame` is the last one shown, `in_frame` the first one.

    `mirror` is that of the incoming side against the outgoing one; `turns` are its quarters as it lies then. Ratios are
    incoming over outgoing. What is left of either side, from its other end to the cut, is in seconds of the reel.
    `score` is 0 to 100. `move` is what both cameras do, or that both pictures are even; of rolls and pushes the
    direction is their sense.
    """

    out_frame: int
    in_frame: int
    mirror: Mirror
    reverse_out: bool
    reverse_in: bool
    direction_diff_deg: float
    speed_ratio: float
    blur_ratio: float
    colour_delta_e: float
    score: float
    out_left_s: float
    in_left_s: float
    move: MoveKind
    turns: Turns = 0

    @property
    def short_s(self) -> float | None:
        """What is left of the side of which too little is left to be seen, in seconds; None where both have enough."""
        least = min(self.out_left_s, self.in_left_s)
        return least if least < ENOUGH_S else None

    @property
    def worth_unseen(self) -> float:
        """Its score where nobody looks at it before it is taken: what turns a take round has to be much better."""
        lies = 1.0 if self.mirror is None else _UNSEEN_MIRRORED
        return self.score * lies * _UNSEEN_BACKWARD ** (self.reverse_out + self.reverse_in)

    @property
    def backward(self) -> str:
        """Which sides play backward, in words; empty where none does."""
        sides = [side for side, on in (("out", self.reverse_out), ("in", self.reverse_in)) if on]
        return f"{' and '.join(sides)} backward" if sides else ""

    @property
    def turned_round(self) -> tuple[str, ...]:
        """What is not as it was shot, in words."""
        said = (
            "mirrored" if self.mirror is not None else "",
            f"turned by {90 * self.turns}°" if self.turns else "",
            self.backward,
        )
        return tuple(words for words in said if words)


@dataclass(frozen=True, kw_only=True, eq=False)
class Side:
    """One side of a join: where a take can be cut within a span. `reverse`: its direction of play, None: free.

    `kept` is the shot's span as it is, which a join cuts, and `rates` (frames,) how many frames go by in a second of
    the reel at each frame of the take. It lies by `turns` quarters, and is then `wide` times as wide as high.
    """

    stretches: tuple[Frames, ...]
    kept: Span
    rates: Numbers
    reverse: bool | None = None
    turns: Turns = 0
    wide: float = 1.0

    @property
    def frames(self) -> int:
        """How many the take has."""
        return len(self.rates)

    @cached_property
    def _gone_s(self) -> Numbers:
        """(frames + 1,): the seconds of the reel that go by from the take's start to each of its frames."""
        return np.concatenate([[0.0], np.cumsum(1 / self.rates)])

    def seconds(self, first: int, end: int) -> float:
        """How long some frames of it last on the reel."""
        return float(self._gone_s[end] - self._gone_s[first])

    @staticmethod
    def of(
        reader: FilmReader,
        trace: Trace,
        span: Span | None = None,
        reverse: bool | None = None,
        *,
        kept: Span | None = None,
        rates: Numbers | Fraction | None = None,
    ) -> "Side":
        """Describes a take for matching; decodes what `Moves` looks at."""
        return Side.having(Moves.of(reader, trace), span, reverse, kept=kept, rates=rates)

    @staticmethod
    def having(
        moves: Moves,
        span: Span | None = None,
        reverse: bool | None = None,
        *,
        kept: Span | None = None,
        rates: Numbers | Fraction | None = None,
        turns: Turns = 0,
    ) -> "Side":
        """A take for matching, of which it is known where it can be cut.

        `turns`: how its picture lies on the reel.

        `span`: where it may be cut, `kept`: the shot's own (both None: all of the take). `rates`: how many of its
        frames go by in a second of the reel, at each of them or throughout; None: as many as when it was shot.
        """
        trace = moves.trace
        whole = Span(first=0, end=trace.frames)
        given = trace.rate if rates is None else rates
        per_s = given if isinstance(given, np.ndarray) else np.full(trace.frames, float(given))
        found = (Frames.of(trace, looked, span or whole, per_s) for looked in moves.looked)
        wide = trace.width / trace.height
        stretches = tuple(each.turned(turns, wide) for each in found if each is not None)
        return Side(
            stretches=stretches,
            kept=kept or whole,
            rates=per_s,
            reverse=reverse,
            turns=turns,
            wide=1 / wide if turns % 2 else wide,
        )

    def left_s(self, frames: NDArray[np.int64], *, ends: bool) -> Numbers:
        """How many seconds of the shot are left when its span ends with, or begins at, each of these frames."""
        spans = (cut(self.kept, int(frame), self.frames, ends=ends) for frame in frames)
        return np.array([self.seconds(each.first, each.end) for each in spans])


def rank_pairs(
    outgoing: Side,
    incoming: Side,
    *,
    mirror: bool = True,
    reverse: bool = True,
    turned: bool = False,
    most: int = 12,
    moves: Collection[MoveKind] | None = None,
) -> tuple[Proposal, ...]:
    """The best pairs of frames, best first, no two of one kind closer than three frames.

    `moves`: what may be cut at; None: whips, rolls, pushes and what is even alike. `mirror`, `reverse` and `turned` say
    whether these variants may be tried. Costs under 100 ms for whips of 20 frames.
    """
    found: list[Proposal] = []
    lying: list[tuple[Mirror, Turns]] = [(each, 0) for each in MIRRORINGS] if mirror else [(None, 0)]
    for out, in_ in product(outgoing.stretches, incoming.stretches):
        if out.move != in_.move or (moves is not None and out.move not in moves):
            continue
        variants: list[tuple[Mirror, Turns]] = lying if out.move != "even" else [(None, 0)]
        if turned and out.move == "whip":
            variants = [*variants, *(each for each in _TURNINGS if mirror or each[0] is None)]
        for reverse_out, reverse_in, (flip, turns) in product(
            _directions(outgoing, reverse), _directions(incoming, reverse), variants
        ):
            left = (
                outgoing.left_s(out.numbers, ends=not reverse_out),
                incoming.left_s(in_.numbers, ends=reverse_in),
            )
            laid = in_.turned(turns, incoming.wide)
            lies = flip, QUARTERS[(incoming.turns + turns) % 4]
            price = _MIRROR_SHARE[flip] * (_TURNED_SHARE if turns else 1.0)
            alike = _scored(out, laid, lies, (reverse_out, reverse_in), left, price)
            found.extend(_apart(alike, most=1 if out.move == "even" else 4))  # what is even looks alike all along
    found.sort(key=lambda p: -p.score)
    return tuple(found[:most])


def best_pair(outgoing: Side, incoming: Side) -> Proposal | None:
    """The best pair of frames of two sides; None where nothing agrees."""
    return next(iter(rank_pairs(outgoing, incoming, most=1)), None)


def best_unseen(outgoing: Side, incoming: Side) -> Proposal | None:
    """The same where nobody looks at it before it is taken."""
    return max(rank_pairs(outgoing, incoming), key=lambda p: p.worth_unseen, default=None)


def _directions(side: Side, reverse: bool) -> tuple[bool, ...]:
    if side.reverse is not None:
        return (side.reverse,)
    return (False, True) if reverse else (False,)


def _scored(
    out: Frames,
    in_: Frames,
    lies: tuple[Mirror, Turns],
    reverses: tuple[bool, bool],
    left_s: tuple[Numbers, Numbers],
    share: float,
) -> list[Proposal]:
    """Every pair of frames of two whips in one variant; `left_s`: what is left of either side, for each frame.

    `lies`: how the incoming picture lies; it is turned already, not mirrored. `reverses`: either side's way of playing.
    `share`: what the variant counts.
    """
    (mirror, turns), (reverse_out, reverse_in) = lies, reverses
    way_out, way_in = (-1.0 if reverse_out else 1.0), (-1.0 if reverse_in else 1.0)
    flip = np.array(mirror_signs(mirror), np.float64)
    # Mirrored once, a roll goes the other way; a picture that grows grows all the same.
    sense = flip if out.move == "whip" else flip.prod() if out.move == "roll" else 1.0
    leaving, arriving = out.velocity * way_out, in_.velocity * way_in * sense
    speed_out, speed_in = np.hypot(*leaving.T), np.hypot(*arriving.T)
    turn = np.arctan2(arriving[:, 1], arriving[:, 0])[None] - np.arctan2(leaving[:, 1], leaving[:, 0])[:, None]
    direction = np.degrees(np.abs((turn + np.pi) % (2 * np.pi) - np.pi))
    speed = np.maximum(speed_in, 1e-6)[None] / np.maximum(speed_out, 1e-6)[:, None]
    blur = np.maximum(in_.blur, 1e-6)[None] / np.maximum(out.blur, 1e-6)[:, None]
    if out.move == "even":  # where nothing is seen to move there is no direction, and no ratio
        still = np.minimum(speed_out[:, None], speed_in[None]) < MOVES_WIDTHS_PER_S
        direction[still], speed[still], blur[still] = 0.0, 1.0, 1.0
    lab = in_.lab
    if flip[0] < 0:
        lab = lab[:, :, ::-1]
    if flip[1] < 0:
        lab = lab[:, ::-1]
    delta_e = np.sqrt(((out.lab[:, None] - lab[None]) ** 2).sum(axis=-1)).mean(axis=(2, 3))
    if out.move == "even":
        score = np.sqrt(out.evenness[:, None] * in_.evenness[None]) * _bell(delta_e / _EVEN_COLOUR_DE)
        score *= np.where(direction > _OTHER_WAY_DEG, _OTHER_WAY_SHARE, 1.0)
        score *= _soon(out, late=reverse_out)[:, None] * _soon(in_, late=not reverse_in)[None]
    else:
        score = _bell(direction / _DIRECTION_DEG) * _bell(np.log(speed) / _LOG_SPEED)
        score *= _bell(np.log(blur) / _LOG_BLUR) * _bell(delta_e / _COLOUR_DE)
        score *= np.clip(speed_out / out.peak, 0, 1)[:, None] * np.clip(speed_in / in_.peak, 0, 1)[None]
        falls = (out.change * way_out < -0.04 * out.peak)[:, None]
        rises = (in_.change * way_in > 0.04 * in_.peak)[None]
        score *= np.where(falls, _WRONG_WAY_SHARE, 1.0) * np.where(rises, _WRONG_WAY_SHARE, 1.0)
    score *= _left_share(out, left_s[0], ends=not reverse_out)[:, None]
    score *= _left_share(in_, left_s[1], ends=reverse_in)[None] * share
    score *= _BACKWARDS_SHARE ** (reverse_out + reverse_in) * 100
    return [
        Proposal(
            out_frame=int(out.numbers[i]),
            in_frame=int(in_.numbers[j]),
            mirror=mirror,
            turns=turns,
            reverse_out=reverse_out,
            reverse_in=reverse_in,
            move=out.move,
            direction_diff_deg=round(float(direction[i, j]), 2),
            speed_ratio=round(float(speed[i, j]), 4),
            blur_ratio=round(float(blur[i, j]), 4),
            colour_delta_e=round(float(delta_e[i, j]), 2),
            out_left_s=round(float(left_s[0][i]), 3),
            in_left_s=round(float(left_s[1][j]), 3),
            score=round(float(score[i, j]), 2),
        )
        for i, j in zip(*np.nonzero(score >= _LEAST_SCORE), strict=True)
    ]


def _bell(deviation: Numbers) -> Numbers:
    return np.exp(-0.5 * deviation**2)


def room(seconds: Numbers) -> Numbers:
    """0 to 1: how much of a join's score counts where so much of a shot is left."""
    return np.clip(seconds / ENOUGH_S, 0.0, 1.0) ** 2


def _soon(even: Frames, *, late: bool) -> Numbers:
    """0 to 1, for each frame of an even stretch: little of it needs to be seen, before the cut or behind it."""
    gone_s = np.cumsum(1 / even.rates)
    seen_s = gone_s[-1] - gone_s if late else gone_s
    return _bell(seen_s / _EVEN_SEEN_S)


def _left_share(whip: Frames, left_s: Numbers, *, ends: bool) -> Numbers:
    """0 to 1, for each frame of a whip: how much counts what a cut there leaves, in all and beside the whip."""
    gone_s = np.cumsum(1 / whip.rates)
    beside_s = left_s - (gone_s - gone_s[0] if ends else gone_s[-1] - gone_s)
    return room(left_s) * np.clip(beside_s / ENOUGH_S, 0.1, 1.0)


def _apart(proposals: list[Proposal], *, most: int) -> list[Proposal]:
    """Of one variant: the best ones that differ from each other by more than two frames on either side."""
    kept: list[Proposal] = []
    for p in sorted(proposals, key=lambda p: -p.score):
        if all(
            abs(p.out_frame - q.out_frame) > _APART_FRAMES or abs(p.in_frame - q.in_frame) > _APART_FRAMES for q in kept
        ):
            kept.append(p)
        if len(kept) == most:
            break
    return kept


def side_of_shot(moves: Moves, placed: Placed, *, leaving: bool, alone: bool) -> Side:
    """A shot as one side of a join, as fast as it plays: what it may be cut at, without giving up its other end.

    `alone`: its other end is not joined to anything, so that it may also be played the other way.
    """
    last, shot = moves.trace.frames, placed.shot
    opens_end = leaving != shot.reverse  # the end of the span that the join may move
    span = Span(first=shot.span.first, end=last) if opens_end else Span(first=0, end=shot.span.end)
    if alone:
        span = Span(first=0, end=last)
    return Side.having(
        moves, span, None if alone else shot.reverse, kept=shot.span, rates=rates_along(placed), turns=shot.turns
    )


def cut(span: Span, frame: int, frames: int, *, ends: bool) -> Span:
    """The span up to and including a frame (`ends`), or from it on; its other end stays where it makes sense.

    `frames`: how many the take has.
    """
    if ends:
        return Span(first=span.first if span.first <= frame else 0, end=frame + 1)
    return Span(first=frame, end=span.end if span.end > frame else frames)
