"""What a drag on the reel snaps to: whip peaks, the ends of chosen spans, markers, beats, and cuts.

Targets are said as how far the drag has to go, in frames of the reel, so that one rule serves all drags.
"""

from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from fractions import Fraction

from clevrin.core.document import Project
from clevrin.core.motion import Whip
from clevrin.core.pace import Placed, reel_frame, reel_position

SNAP_PX = 8.0


@dataclass(frozen=True, kw_only=True)
class Target:
    """Something to snap to: how far the drag goes then, in frames of the reel, and what it is, in words."""

    by: float
    words: str


def nearest(targets: Iterable[Target], by: float, px_per_frame: float) -> Target | None:
    """The target next to where a drag is, if it is near enough on the screen."""
    best = min(targets, key=lambda each: abs(each.by - by), default=None)
    return best if best is not None and abs(best.by - by) * px_per_frame <= SNAP_PX else None


def edge_targets(placed: Placed, edge: str, whips: tuple[Whip, ...], project: Project) -> Iterator[Target]:
    """For an edge of a shot that is trimmed."""
    span, reverse = placed.shot.span, placed.shot.reverse
    first_moves = (edge == "left edge") != reverse
    now = span.first if first_moves else span.end
    for boundary, words in _boundaries(placed, whips, first=first_moves):
        steps = now - boundary if reverse else boundary - now
        at = placed.start if edge == "left edge" else placed.end - 1
        yield Target(by=_reel(steps, abs(placed.rate_at(at)) / project.reel.rate), words=words)
    if edge == "right edge":  # the left edge stays where it is on the reel while it is trimmed
        yield from _instants(project, placed.end)


def roll_targets(
    before: Placed, after: Placed, whips: tuple[tuple[Whip, ...], tuple[Whip, ...]], project: Project
) -> Iterator[Target]:
    """For a cut that is rolled: what both of its sides would snap to, and instants of the reel."""
    yield from edge_targets(before, "right edge", whips[0], project)
    yield from edge_targets(after, "left edge", whips[1], project)


def slip_targets(placed: Placed, whips: tuple[Whip, ...], project: Project, playhead: int) -> Iterator[Target]:
    """For a take that is slipped under its shot: peaks at the ends of the shot, at markers and at the playhead."""
    span = placed.shot.span
    wanted = [(placed.start, "the shot's start"), (placed.end - 1, "the shot's end")]
    wanted += [(m.frame, m.kind) for m in project.reel.markers if placed.start <= m.frame < placed.end]
    if placed.start <= playhead < placed.end:
        wanted.append((playhead, "the playhead"))
    for whip in whips:
        at = float(reel_position(placed, whip.peak))
        for frame, words in wanted:
            yield Target(by=frame - at, words=f"whip peak {whip.peak} at {words}")
    for named in placed.take.spans:
        steps = named.span.end - span.end if placed.shot.reverse else span.first - named.span.first
        yield Target(by=_reel(steps, Fraction(span.frames, placed.frames)), words=f"start of span {named.name}")


def marker_targets(frame: int, row: Iterable[Placed], whips: dict[str, tuple[Whip, ...]]) -> list[Target]:
    """For a marker that is dragged: cuts, and whip peaks where they stand on the reel."""
    found = []
    for placed in row:
        found.append(Target(by=placed.start - frame, words=f"start of {placed.take.name}"))
        for whip in whips.get(placed.take.id, ()):
            if whip.peak in placed.shot.span:
                at = reel_frame(placed, whip.peak)
                found.append(Target(by=at - frame, words=f"whip peak {whip.peak}"))
    return found


def _boundaries(placed: Placed, whips: tuple[Whip, ...], *, first: bool) -> Iterator[tuple[int, str]]:
    """Frames of the take at which a span would begin (`first`) or end, and why."""
    for whip in whips:
        yield whip.peak if first else whip.peak + 1, f"whip peak {whip.peak}"
    for named in placed.take.spans:
        yield (named.span.first if first else named.span.end), f"span {named.name}"


def _instants(project: Project, now: int) -> Iterator[Target]:
    for marker in project.reel.markers:
        yield Target(by=marker.frame - now, words=marker.name or marker.kind)


def _reel(source_frames: int, per_frame: Fraction) -> float:
    return float(source_frames / per_frame) if per_frame else 0.0
