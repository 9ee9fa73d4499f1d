"""What can be played: a take, the reel, a shot before and after, the stretch round a join."""

from dataclasses import replace
from functools import partial
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from clevrin.core.document import Project, Shot, Take
from clevrin.core.media.picture import bgra_from_picture
from clevrin.core.media.sound_reading import read_sound
from clevrin.core.media.writing import SOUND_RATE
from clevrin.core.pace import placed_shots, reel_frames
from clevrin.core.render.picture import carried_out, planes
from clevrin.core.render.plan import Plan
from clevrin.core.render.planner import fitted_size, plan_shot, plan_take
from clevrin.core.render.sources import Sources
from clevrin.core.render.steadied import Steadied
from clevrin.core.sound.mix import has_sound, reel_sound
from clevrin.desk.playback import Programme
from clevrin.desk.sound_out import Sound

Pixels = NDArray[np.uint8]
Size = tuple[int, int]


def take_programme(take: Take, within: Size, *, loop: tuple[int, int] | None = None) -> Programme:
    """A take as shot, with its sound; `loop`: frames that are played over and over."""

    def make(sources: Sources, frame: int) -> tuple[Pixels, ...]:
        return (take_pixels(sources, take, frame, within),)

    def sound(first: int, count: int) -> Sound:
        return read_sound(Path(take.path), first / SOUND_RATE, count)

    return Programme(
        first=0,
        end=take.facts.frames,
        rate=take.facts.rate,
        make=make,
        loop=loop,
        sound=sound if take.facts.sound else None,
    )


def take_pixels(sources: Sources, take: Take, frame: int, within: Size) -> Pixels:
    """One frame of a take as BGRA, as large as fits."""
    plan = plan_take(take, frame, within)
    return bgra_from_picture(carried_out(plan, lambda _: take, sources, "draft"))


def reel_programme(project: Project, within: Size, *, loop: tuple[int, int] | None = None) -> Programme | None:
    """The whole reel with its sound; None when it is empty. `loop`: frames that are played over and over."""
    frames = reel_frames(project)
    if frames == 0:
        return None
    size = fitted_size((project.reel.width, project.reel.height), within)

    def make(sources: Sources, frame: int) -> tuple[Pixels, ...]:
        return (bgra_from_picture(planes(project, frame, size, sources, quality="draft")),)

    return Programme(
        first=0,
        end=frames,
        rate=project.reel.rate,
        make=make,
        loop=loop,
        sound=partial(reel_sound, project) if has_sound(project) else None,
    )


def before_after_programme(project: Project, shot: Shot, within: Size) -> Programme:
    """A shot as shot and as held, in step, at the rate of its take."""
    steadied = Steadied.of(project, shot)
    reel_size = project.reel.width, project.reel.height
    size = fitted_size(reel_size, within)

    def make(sources: Sources, frame: int) -> tuple[Pixels, ...]:
        return tuple(shot_pixels(sources, steadied, frame, reel_size, size, held=held) for held in (False, True))

    rate = steadied.take.facts.rate
    return Programme(first=shot.span.first, end=shot.span.end, rate=rate, make=make, loop=_all_of(shot))


def shot_pixels(
    sources: Sources, steadied: Steadied, frame: int, reel_size: Size, size: Size, *, held: bool = True
) -> Pixels:
    """A frame of a shot's take as the reel shows it, as BGRA."""
    layer = plan_shot(steadied, frame, reel_size, size, sources, held=held)
    plan = Plan(width=size[0], height=size[1], layers=(layer,))
    return bgra_from_picture(carried_out(plan, lambda _: steadied.take, sources, "draft"))


def join_programme(project: Project, shot_id: str, within: Size, around: int) -> Programme:
    """The reel in a loop over the frames round the end of a shot."""
    reel = reel_programme(project, within)
    assert reel is not None
    cut = next(placed.end for placed in placed_shots(project) if placed.shot.id == shot_id)
    first, end = max(0, cut - around), min(reel.end, cut + around)
    return replace(reel, first=first, end=end, loop=(first, end))


def _all_of(shot: Shot) -> tuple[int, int]:
    return shot.span.first, shot.span.end
