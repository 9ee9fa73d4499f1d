"""What can be played: a take, the reel, a shot before and after, the stretch round a join."""

import time
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Literal, get_args

import cv2
import numpy as np
from numpy.typing import NDArray

from clevrin.core.document import Project, Shot, Take
from clevrin.core.join.between import CourseOf, made_join
from clevrin.core.media.picture import bgra_from_picture
from clevrin.core.media.sound_reading import SoundReader
from clevrin.core.media.writing import SOUND_RATE
from clevrin.core.motion.geometry.models import apply
from clevrin.core.pace import Placed, nominal_frame, placed_shot, placed_shots, reel_frames
from clevrin.core.render.measured.measurement_store import MeasurementStore
from clevrin.core.render.picture import carried_out, plan_at
from clevrin.core.render.plan import Plan, row9
from clevrin.core.render.planning.join_motion import units
from clevrin.core.render.planning.layers import plan_shot, plan_shown
from clevrin.core.render.planning.making_costs import learned
from clevrin.core.render.planning.planner import plan_take
from clevrin.core.render.planning.shot_map import fitted_size
from clevrin.core.render.resolving.hold_request import HoldRequest
from clevrin.core.render.resolving.reel_colour import reel_colour
from clevrin.core.render.resolving.resolving import AsShot, Lacking, ResolvedShot, Shown, resolve
from clevrin.core.render.sources import Sources
from clevrin.core.sound.mix import ReelSound, has_sound
from clevrin.desk.background.plans import PLAIN_SHARE, Making, Plans, read_quickly, smaller
from clevrin.desk.background.preparing import Preparing
from clevrin.desk.playback.player import Make, MakeWithin, Programme
from clevrin.desk.playback.sound_out import Sound
from clevrin.desk.widgets import theme

OUTLINE_SHARE = 0.7
"""How large the held picture is drawn when all of the source is drawn around it."""
_SUBPIXELS = 16

Pixels = NDArray[np.uint8]
Size = tuple[int, int]
Move = NDArray[np.float64]
How = Literal["both", "difference", "edges"]
"""How two pictures are laid over each other."""
OVERLAID: dict[str, How] = {how: how for how in get_args(How)}
_DIM = 0.3
_TRIES_AGAIN = 0.01
_PREPARED_S = 60.0
"""So much of the reel, and as much again, is prepared about the playhead."""


def take_programme(take: Take, within: Size, *, loop: tuple[int, int] | None = None) -> Programme:
    """A take as shot, with its sound; `loop`: frames that are played over and over."""
    make, make_within = in_either_size(
        lambda sources, frame, share: (take_pixels(sources, take, frame, smaller(within, share)),)
    )
    reader = SoundReader()

    def sound(first: int, count: int) -> Sound:
        return reader.read(Path(take.path), first / SOUND_RATE, count)

    return Programme(
        first=0,
        end=take.facts.frames,
        rate=take.facts.rate,
        make=make,
        make_within=make_within,
        loop=loop,
        sound=sound if take.facts.sound else None,
    )


MakeAt = Callable[[Sources, int, float], tuple[Pixels, ...]]
"""Makes a frame's pictures at a share of the size that is wanted."""


def in_either_size(make_at: MakeAt, clock: Callable[[], float] = time.perf_counter) -> tuple[Make, MakeWithin]:
    """How pictures are made, and how they are while they play: half as large, and of proxies, where that is quicker.

    How long one takes is told by those before it, in seconds of `clock`.
    """
    known_s = 0.0

    def make(sources: Sources, frame: int) -> tuple[Pixels, ...]:
        return make_at(sources, frame, 1.0)

    def make_within(sources: Sources, frame: int, left_s: float) -> tuple[tuple[Pixels, ...], bool]:
        nonlocal known_s
        if known_s <= left_s:
            begun = clock()
            pictures = make(sources, frame)
            known_s = learned(known_s, clock() - begun)
            return pictures, False
        known_s *= 1 - _TRIES_AGAIN
        with read_quickly(sources):
            return make_at(sources, frame, PLAIN_SHARE), True

    return make, make_within


def take_pixels(sources: Sources, take: Take, frame: int, within: Size) -> Pixels:
    """One frame of a take as BGRA, as large as fits."""
    plan = plan_take(take, frame, within)
    return bgra_from_picture(carried_out(plan, lambda _: take, sources.films, "draft"))


def reel_plans(project: Project, size: Size, first: int, end: int) -> Plans:
    """How frames of the reel are made."""
    return Plans(
        first=first,
        end=end,
        size=size,
        period_s=1 / float(project.reel.rate),
        plan=lambda store, frame, size: plan_at(project, frame, size, store),
        take_of=project.take,
    )


def ways_to_make(plans: Sequence[Plans], making: Making) -> tuple[Make, MakeWithin]:
    """How pictures that are shown in step are made, and how they are while they play."""

    def make(sources: Sources, frame: int) -> tuple[Pixels, ...]:
        return tuple(each.pixels(sources, frame, making) for each in plans)

    def make_within(sources: Sources, frame: int, left_s: float) -> tuple[tuple[Pixels, ...], bool]:
        share = left_s / len(plans)
        made = [each.pixels_within(sources, frame, making, share) for each in plans]
        return tuple(pixels for pixels, _ in made), any(plain for _, plain in made)

    return make, make_within


def shot_plans(project: Project, placed: Placed, size: Size) -> Plans:
    """How a shot alone is made as the reel plays it, by the frames of the reel."""
    reel_size = project.reel.size
    request, colour = HoldRequest.of(project, placed.shot, placed.take), reel_colour(project)

    def plan(store: MeasurementStore, frame: int, size: Size) -> Plan:
        resolved = resolve(request, store)
        shown_here = Shown(resolved=resolved, placed=placed, at=frame, weight=1.0)
        unmeasured = (placed.take.name,) if isinstance(resolved.state, Lacking) else ()
        layers = (plan_shown(shown_here, reel_size, size),)
        return Plan(width=size[0], height=size[1], layers=layers, unmeasured=unmeasured, colour=colour)

    return Plans(
        first=placed.start,
        end=placed.end,
        size=size,
        period_s=1 / float(project.reel.rate),
        plan=plan,
        take_of=lambda _: placed.take,
    )


def reel_programme(
    project: Project,
    within: Size,
    *,
    loop: tuple[int, int] | None = None,
    making: Making | None = None,
    course_of: CourseOf = lambda _: None,
) -> Programme | None:
    """The whole reel with its sound; None when it is empty.

    `loop`: frames that are played over and over; `making`: what is known of its pictures; `course_of`: how the cameras
    move, for the sound of what is made.
    """
    frames = reel_frames(project)
    if frames == 0:
        return None
    plans = reel_plans(project, fitted_size(project.reel.size, within), 0, frames)
    make, make_within = ways_to_make([plans], making or Making())
    return Programme(
        first=0,
        end=frames,
        rate=project.reel.rate,
        make=make,
        make_within=make_within,
        loop=loop,
        sound=ReelSound(project, course_of=course_of).read if has_sound(project) else None,
    )


def beside_programme(
    main: Programme, project: Project, within: Size, others: list[tuple[Project, Size]], making: Making
) -> Programme:
    """A programme of the reel within a size, and other outputs of it in step with it, each within its own."""
    all_of_them = [(project, within), *others]
    plans = [reel_plans(each, fitted_size(each.reel.size, room), 0, main.end) for each, room in all_of_them]
    make, make_within = ways_to_make(plans, making)
    return replace(main, make=make, make_within=make_within)


def want_prepared(preparing: Preparing, project: Project, within: Size, frame: int) -> None:
    """Has pictures of the reel prepared, from about a frame on, that take too long to be made while they are played."""
    size = fitted_size(project.reel.size, within)
    stretch = round(_PREPARED_S * float(project.reel.rate))
    first = frame // stretch * stretch
    plans = reel_plans(project, size, first, min(reel_frames(project), first + 2 * stretch))
    if plans.end > plans.first:
        preparing.want(plans, (project, size, first), frame)


def span_of_shots(project: Project, shot_ids: Iterable[str]) -> tuple[int, int] | None:
    """The frames of the reel from the first to the last of some shots; None where none of them is on it."""
    chosen = set(shot_ids)
    row = [placed for placed in placed_shots(project) if placed.shot.id in chosen]
    return (row[0].start, row[-1].end) if row else None


def before_after_programme(project: Project, shot: Shot, within: Size) -> Programme:
    """A shot as shot and as held, in step, at the rate of its take."""
    request = HoldRequest.of(project, shot)
    reel_size = project.reel.size
    size = fitted_size(reel_size, within)

    def make_at(sources: Sources, frame: int, share: float) -> tuple[Pixels, ...]:
        resolved = resolve(request, sources.measured)
        both = resolved.as_shot, resolved
        return tuple(shot_pixels(sources, each, frame, reel_size, smaller(size, share)) for each in both)

    return _of_shot(shot, request.take, make_at)


def _of_shot(shot: Shot, take: Take, make_at: MakeAt) -> Programme:
    """A shot over and over, at the rate of its take."""
    make, make_within = in_either_size(make_at)
    return Programme(
        first=shot.span.first,
        end=shot.span.end,
        rate=take.facts.rate,
        make=make,
        make_within=make_within,
        loop=_all_of(shot),
    )


@dataclass(frozen=True, kw_only=True)
class LaidOver:
    """A neighbour of a shot on the reel that is laid over it: its last frame if it is before, else its first one.

    `how`: half of either, what differs, or the edges of both.
    """

    before: bool
    how: How = "both"


def reframe_programme(
    project: Project,
    shot_id: str,
    within: Size,
    results: list[tuple[Project, Size]],
    laid: LaidOver | None = None,
) -> Programme:
    """A shot of a project as all that was shot, and as each of some outputs shows it, in step.

    `results`: the project through an output, and the size within which that is made. `laid` goes over the first one.
    """
    shot = project.shot(shot_id)
    take = project.take(shot.take_id)
    asked = []
    for through, room in results:
        reel_size = through.reel.size
        asked.append((HoldRequest.of(through, through.shot(shot_id)), reel_size, fitted_size(reel_size, room)))

    request = HoldRequest.of(project, shot)
    over = None if laid is None else _neighbour(results[0][0], shot_id, before=laid.before)
    ghost: list[Pixels] = []  # made once, with the first picture

    def make_at(sources: Sources, frame: int, share: float) -> tuple[Pixels, ...]:
        whole = _whole(sources, request, frame, smaller(within, share))
        each = [
            shot_pixels(sources, resolve(request, sources.measured), frame, reel_size, smaller(size, share))
            for request, reel_size, size in asked
        ]
        if laid is not None and over is not None:
            if not ghost:
                _, reel_size, size = asked[0]
                ghost.append(shot_pixels(sources, resolve(over[0], sources.measured), over[1], reel_size, size))
            height, width = each[0].shape[:2]
            fitting = cv2.resize(ghost[0], (width, height), interpolation=cv2.INTER_AREA)
            each[0] = _laid_over(each[0], np.asarray(fitting, np.uint8), laid.how)
        return whole, *each

    return _of_shot(shot, take, make_at)


def _whole(sources: Sources, request: HoldRequest, frame: int, within: Size) -> Pixels:
    """All of a frame of a shot's take as it was shot, with what is pinned to the shot."""
    take = request.take
    if not request.pinned:
        return take_pixels(sources, take, frame, within)
    resolved = resolve(request, sources.measured)
    shot = request.shot.changed(mirror=None, turns=0)
    plain = resolved if isinstance(resolved.state, Lacking) else replace(resolved, state=AsShot())
    size = take.facts.width, take.facts.height
    return shot_pixels(sources, replace(plain, shot=shot), frame, size, fitted_size(size, within))


def _neighbour(project: Project, shot_id: str, *, before: bool) -> tuple[HoldRequest, int] | None:
    """The shot before or after one on the reel, and the frame of its take that meets it; None at the reel's ends."""
    at = project.shot_index(shot_id) + (-1 if before else 1)
    if not 0 <= at < len(project.reel.shots):
        return None
    shot = project.reel.shots[at]
    return HoldRequest.of(project, shot), shot.last_shown if before else shot.first_shown


def _laid_over(pixels: Pixels, ghost: Pixels, how: How) -> Pixels:
    if how == "difference":
        laid = cv2.absdiff(pixels, ghost)
    elif how == "edges":
        laid = _edges_over(pixels, ghost)
    else:
        laid = cv2.addWeighted(pixels, 0.5, ghost, 0.5, 0)
    laid[..., 3] = 255
    return laid


def _edges_over(pixels: Pixels, ghost: Pixels) -> Pixels:
    """The edges of one picture in one colour, those of the other in another, where both have them light."""
    greys = [cv2.GaussianBlur(cv2.cvtColor(each, cv2.COLOR_BGRA2GRAY), (0, 0), 1.2) for each in (pixels, ghost)]
    first, second = (cv2.Canny(grey, 70, 160) > 0 for grey in greys)
    laid = cv2.addWeighted(pixels, _DIM, np.full_like(pixels, theme.bgra("sunk")), 1 - _DIM, 0)
    laid[first], laid[second] = theme.bgra("ember"), theme.bgra("sky")
    laid[first & second] = theme.bgra("text")
    return laid


def shot_pixels(
    sources: Sources, resolved: ResolvedShot, frame: int, reel_size: Size, size: Size, move: Move | None = None
) -> Pixels:
    """A frame of a shot's take as the reel shows it, as BGRA; `move`: what is seen there instead, in output pixels."""
    layer = plan_shot(resolved, frame, reel_size, size)
    if move is not None:
        layer = layer.laid(row9(layer.matrix @ move), borrowed=())
    plan = Plan(width=size[0], height=size[1], layers=(layer,))
    return bgra_from_picture(carried_out(plan, resolved.take_of, sources.films, "draft"))


def outline_programme(project: Project, shot: Shot, within: Size) -> Programme:
    """A shot as held, small, and around it, dimmed, all of the source as it moves behind the gate."""
    request = HoldRequest.of(project, shot)
    reel_size = project.reel.size
    size = fitted_size(reel_size, within)

    def make_at(sources: Sources, frame: int, share: float) -> tuple[Pixels, ...]:
        resolved, fitted = resolve(request, sources.measured), smaller(size, share)
        before = shot_pixels(sources, resolved.as_shot, frame, reel_size, fitted)
        return before, _outlined(sources, resolved, frame, reel_size, fitted)

    return _of_shot(shot, request.take, make_at)


def _outlined(sources: Sources, resolved: ResolvedShot, frame: int, reel_size: Size, size: Size) -> Pixels:
    layer = plan_shot(resolved, frame, reel_size, size)
    middle = (np.array(size) - 1) / 2
    from_canvas = np.array(
        [
            [1 / OUTLINE_SHARE, 0, middle[0] * (1 - 1 / OUTLINE_SHARE)],
            [0, 1 / OUTLINE_SHARE, middle[1] * (1 - 1 / OUTLINE_SHARE)],
            [0, 0, 1],
        ]
    )
    src_from_canvas = layer.matrix @ from_canvas
    inner = layer.laid(row9(src_from_canvas), window=None, borrowed=())
    whole = replace(inner, edge="colour", bend=None, colour=theme.COLOURS.surround)
    plans = [Plan(width=size[0], height=size[1], layers=(each,)) for each in (whole, inner)]
    around, within = (bgra_from_picture(carried_out(p, resolved.take_of, sources.films, "draft")) for p in plans)
    canvas = cv2.addWeighted(around, 0.42, np.full_like(around, theme.bgra("surround")), 0.58, 0)
    half = np.array(size) * OUTLINE_SHARE / 2
    (left, top), (right, bottom) = (np.round(middle + 0.5 + way * half).astype(int) for way in (-1, 1))
    canvas[top:bottom, left:right] = within[top:bottom, left:right]
    width, height = layer.source_size
    corners = np.array([[0, 0], [width - 1, 0], [width - 1, height - 1], [0, height - 1]], float)
    edge = apply(np.linalg.inv(src_from_canvas), corners)
    shifted = np.round(edge * _SUBPIXELS).astype(np.int32)
    bits = int(np.log2(_SUBPIXELS))
    cv2.polylines(canvas, [shifted], True, theme.bgra("text"), 1, cv2.LINE_AA, bits)
    cv2.rectangle(canvas, (left - 1, top - 1), (right, bottom), theme.bgra("ember"), 2)
    canvas[..., 3] = 255
    return canvas


def join_programme(
    project: Project,
    shot_id: str,
    within: Size,
    around: int,
    making: Making | None = None,
    course_of: CourseOf = lambda _: None,
) -> Programme:
    """The reel in a loop over the frames round the end of a shot."""
    reel = reel_programme(project, within, making=making, course_of=course_of)
    assert reel is not None
    first, end = _round_the_cut(project, shot_id, around)
    return replace(reel, first=first, end=end, loop=(first, end))


def _round_the_cut(project: Project, shot_id: str, around: int) -> tuple[int, int]:
    """The frames of the reel so near the end of a shot: the first, and the one behind the last."""
    placed = placed_shot(project, shot_id)
    assert placed is not None
    return max(0, placed.end - around), min(reel_frames(project), placed.end + around)


def overlaid_programme(project: Project, shot_id: str, within: Size, around: int, how: How) -> Programme:
    """Both sides of the cut behind a shot over each other, or what differs, round the cut: each goes on beyond it.

    Where a take has nothing more, its last frame there stands still. Sides that the join lays on each other lie so,
    beyond the cut as at it.
    """
    row, at = placed_shots(project), project.shot_index(shot_id)
    reel_size = project.reel.size
    size = fitted_size(reel_size, within)
    before, after = row[at], row[at + 1]
    requests = [
        HoldRequest.of(project, placed.shot.changed(span=placed.take.whole), placed.take) for placed in (before, after)
    ]

    made = made_join(row, at, reel_size[1] / reel_size[0], lambda _: None)

    def moves(frame: int) -> tuple[Move | None, Move | None]:
        if made is None or not made.kind.lays:
            return None, None
        time = frame + 0.5 - before.end
        times = min(time, 0.0), max(time, 0.0)
        to_unit, from_unit = units(size)
        parts = (made.part(each, leaving=leaving).move for each, leaving in zip(times, (True, False), strict=True))
        found = (np.eye(3) if part is None else part(each) for part, each in zip(parts, times, strict=True))
        leaves, arrives = (from_unit @ each @ to_unit for each in found)
        return leaves, arrives

    def make(sources: Sources, frame: int) -> tuple[Pixels, ...]:
        frames = _beyond(before, frame), _beyond(after, frame)
        sides = (
            shot_pixels(sources, resolve(request, sources.measured), number, reel_size, size, move)
            for request, number, move in zip(requests, frames, moves(frame), strict=True)
        )
        pixels, ghost = sides
        return (_laid_over(pixels, ghost, how),)

    first, end = _round_the_cut(project, shot_id, around)
    return Programme(first=first, end=end, rate=project.reel.rate, make=make, loop=(first, end))


def _beyond(placed: Placed, frame: int) -> int:
    """The frame of its take that a shot shows at a frame of the reel, as if it went on beyond its ends."""
    inside = min(max(frame, placed.start), placed.end - 1)
    way = -1 if placed.shot.reverse else 1
    more = round((frame - inside) * float(abs(placed.rate_at(inside)) / placed.reel_rate))
    return min(max(nominal_frame(placed, inside) + way * more, 0), placed.take.facts.frames - 1)


def _all_of(shot: Shot) -> tuple[int, int]:
    return shot.span.first, shot.span.end
