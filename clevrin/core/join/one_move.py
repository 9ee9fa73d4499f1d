"""One move of several takes, as a proposal: cut and joined by what fits best, in a chosen length and on the beats.

Where moves of both takes agree, they are cut there (`assemble`). Elsewhere a move is made: a shot that has a move of
its own is left, or entered, where that is fastest, so that what is made goes on with it, and the kind is the one that
fits (`suggesting`). The other ends are free: there the shots are made shorter, all by the same share, until they are
as long together as is wanted.
"""

from collections.abc import Callable
from dataclasses import dataclass
from fractions import Fraction

from clevrin.core.document import Join, Project, Reel, Shot, Span
from clevrin.core.join.assemble import Measured, chain, in_best_order
from clevrin.core.join.match import WORTH_MATCHING, Proposal
from clevrin.core.join.suggesting import seen_at_cut, suggestions
from clevrin.core.pace import placed_shots, played_rate, shot_frames

LEAST_SHOT_S = 1.0
"""No shot is made shorter than this."""
_SAID = {"whip": "Both cameras whip", "roll": "Both cameras roll", "push": "Both cameras push"}


@dataclass(frozen=True, kw_only=True)
class Wish:
    """What one move should be. `length_s`: how long at most (None: as it comes); `beats`: frames of the reel with one.

    `best_order`: the takes in the order that joins best, else as they are given.
    """

    length_s: float | None = None
    beats: tuple[int, ...] = ()
    best_order: bool = False


@dataclass(frozen=True, kw_only=True)
class Passage:
    """How one shot passes into the next, how well (0 to 100), and why so. `proposal`: the moves that agree."""

    join: Join
    score: float
    why: str
    proposal: Proposal | None = None


@dataclass(frozen=True, kw_only=True)
class OneMove:
    """The shots, each with its join into the next, and what is to be said of each cut and of the whole."""

    takes: tuple[Measured, ...]
    shots: tuple[Shot, ...]
    passages: tuple[Passage, ...]
    frames: int
    remarks: tuple[str, ...]


def one_move(takes: list[Measured], reel: Reel, wish: Wish, enough: Callable[[], None] = lambda: None) -> OneMove:
    """The proposal. `enough` is called between steps, and may raise to stop it. Costs what `Moves.of` costs per take.

    The first frame of the move counts as the first of the beats' reel.
    """
    for measured in takes:
        _ = measured.moves
        enough()
    if wish.best_order:
        takes = in_best_order(takes, reel.rate, enough)
    shots, chosen = chain(takes, reel.rate, WORTH_MATCHING)
    remarks: list[str] = []
    shots, free = _on_their_moves(takes, shots, chosen, reel)
    if wish.length_s is not None:
        shots, said = _as_long_as(takes, shots, free, reel, wish.length_s)
        remarks += said
    if wish.beats:
        shots, said = _on_beats(takes, shots, free, reel, wish.beats)
        remarks += said
    shots, passages = _passed(takes, shots, chosen, reel, wish.beats, enough)
    return OneMove(
        takes=tuple(takes),
        shots=tuple(shots),
        passages=tuple(passages),
        frames=sum(_lengths(takes, shots, reel)),
        remarks=tuple(remarks),
    )


def _on_their_moves(
    takes: list[Measured], shots: list[Shot], chosen: list[Proposal | None], reel: Reel
) -> tuple[list[Shot], list[tuple[bool, bool]]]:
    """The shots cut at their own moves where a join is made, and which of their ends, start and end, are free."""
    found, free = [], []
    for number, (measured, shot) in enumerate(zip(takes, shots, strict=True)):
        start = number == 0 or chosen[number - 1] is None
        end = number == len(chosen) or chosen[number] is None
        least = round(LEAST_SHOT_S * float(played_rate(measured.take, reel.rate)))
        peaks = [looked.peak for looked in measured.moves.looked if looked.move != "even"]
        middle = (shot.span.first + shot.span.end) / 2
        if end and number < len(chosen) and not shot.reverse:
            late = [
                peak for peak in peaks if peak > middle and peak + 1 - shot.span.first >= least and peak in shot.span
            ]
            if late:
                shot = shot.changed(span=Span(first=shot.span.first, end=late[-1] + 1))
                end = False
        if start and number and not shot.reverse:
            early = [peak for peak in peaks if peak <= middle and shot.span.end - peak >= least and peak in shot.span]
            if early:
                shot = shot.changed(span=Span(first=early[0], end=shot.span.end))
                start = False
        found.append(shot)
        free.append((start, end))
    return found, free


def _lengths(takes: list[Measured], shots: list[Shot], reel: Reel) -> list[int]:
    return [shot_frames(shot, each.take, reel.rate) for each, shot in zip(takes, shots, strict=True)]


def _as_long_as(
    takes: list[Measured], shots: list[Shot], free: list[tuple[bool, bool]], reel: Reel, length_s: float
) -> tuple[list[Shot], list[str]]:
    """The shots made shorter by one share until they fit, none shorter than a second; and what did not go."""
    rate = float(reel.rate)
    has = _lengths(takes, shots, reel)
    wanted = length_s * rate
    if sum(has) <= wanted:
        missing = length_s - sum(has) / rate
        return shots, [f"The takes give {sum(has) / rate:.1f} s: {missing:.1f} s less."] if missing > 0.5 else []
    least = [min(frames, LEAST_SHOT_S * rate) if any(ends) else frames for frames, ends in zip(has, free, strict=True)]

    def kept(share: float) -> list[float]:
        return [max(low, share * frames) for low, frames in zip(least, has, strict=True)]

    low, high = 0.0, 1.0
    for _ in range(40):
        share = (low + high) / 2
        low, high = (share, high) if sum(kept(share)) < wanted else (low, share)
    cut = [
        _shorter(shot, measured, round(frames - to), ends, reel.rate)
        for shot, measured, frames, to, ends in zip(shots, takes, has, kept(high), free, strict=True)
    ]
    total = sum(_lengths(takes, cut, reel)) / rate
    if total > length_s + 0.1:
        return cut, [f"It lasts {total:.1f} s: what lies between cuts that agree, and a second of each shot, is kept."]
    return cut, []


def _shorter(shot: Shot, measured: Measured, by: int, ends: tuple[bool, bool], reel_rate: Fraction) -> Shot:
    """A shot without so many frames of the reel, taken from its free ends: from both alike where both are free."""
    per_frame = float(played_rate(measured.take, reel_rate) / reel_rate)
    gone = min(round(by * per_frame), shot.span.frames - 1)
    if gone <= 0 or not any(ends):
        return shot
    start = gone // 2 if all(ends) else gone if ends[0] else 0
    return _moved(shot, start, start - gone)


def _moved(shot: Shot, start: int, end: int) -> Shot:
    """A shot whose start and end, in playing order, lie so many frames of the take later."""
    first, last = (-end, -start) if shot.reverse else (start, end)
    return shot.changed(span=Span(first=shot.span.first + first, end=shot.span.end + last))


def _on_beats(
    takes: list[Measured], shots: list[Shot], free: list[tuple[bool, bool]], reel: Reel, beats: tuple[int, ...]
) -> tuple[list[Shot], list[str]]:
    """The shots with each cut on the beat that is nearest, as far as a free end of the shot before it can be moved."""
    shots = list(shots)
    at, missed = 0, 0
    for number, measured in enumerate(takes[:-1]):
        frames = shot_frames(shots[number], measured.take, reel.rate)
        cut = at + frames
        ways = sorted((beat for beat in beats if beat > at), key=lambda beat: abs(beat - cut))
        for beat in ways[:2]:
            moved = _longer(shots[number], measured, beat - cut, free[number], reel.rate)
            if shot_frames(moved, measured.take, reel.rate) == beat - at:
                shots[number], frames = moved, beat - at
                break
        else:
            missed += 1
        at += frames
    cuts = len(shots) - 1
    return shots, [f"{cuts - missed} of {cuts} cuts fall on a beat."] if cuts else []


def _longer(shot: Shot, measured: Measured, by: int, ends: tuple[bool, bool], reel_rate: Fraction) -> Shot:
    """A shot longer (below 0: shorter) by so many frames of the reel at a free end, within its take's chosen span."""
    per_frame = float(played_rate(measured.take, reel_rate) / reel_rate)
    frames = round(by * per_frame)
    for start in (False, True) if ends[1] else (True,):
        if not ends[0 if start else 1]:
            continue
        try:
            moved = _moved(shot, -frames, 0) if start else _moved(shot, 0, frames)
        except ValueError:
            continue
        if measured.take.span.first <= moved.span.first and moved.span.end <= measured.take.span.end:
            return moved
    return shot


def _passed(
    takes: list[Measured],
    shots: list[Shot],
    chosen: list[Proposal | None],
    reel: Reel,
    beats: tuple[int, ...],
    enough: Callable[[], None],
) -> tuple[list[Shot], list[Passage]]:
    """The shots with their joins: as matched, and where nothing agreed the kind that fits best."""
    known = {measured.take.id: measured.take for measured in takes}
    row = placed_shots(Project(takes=tuple(known.values()), reel=Reel(rate=reel.rate, shots=tuple(shots))))
    passages: list[Passage] = []
    for number, proposal in enumerate(chosen):
        join = shots[number].leave
        if proposal is not None:
            passages.append(Passage(join=join, score=proposal.score, why=why_matched(proposal), proposal=proposal))
            continue
        enough()
        before, after = row[number], row[number + 1]
        seen = seen_at_cut(
            before,
            after,
            (takes[number].trace, takes[number + 1].trace),
            takes[number].film,
            on_beat=before.end in beats,
        )
        best = suggestions(seen, passages[-1].join.kind if passages else "")[0]
        passages.append(Passage(join=best.join, score=best.fit.score, why=best.fit.why))
        shots[number] = shots[number].changed(leave=best.join)
    return shots, passages


def why_matched(p: Proposal) -> str:
    """Why two takes are cut there, in a sentence."""
    turned = "".join(f", {words}" for words in p.turned_round)
    if p.move == "even":
        return f"Both pictures are even there: ΔE {p.colour_delta_e:.0f} apart{turned}."
    apart = f"{p.direction_diff_deg:.0f}° apart, " if p.move == "whip" else ""
    return f"{_SAID[p.move]}: {apart}speed × {p.speed_ratio:.2f}{turned}."
