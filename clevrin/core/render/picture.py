"""The picture of the reel at an instant: what playback, thumbnails, tests, commands and export all call."""

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from clevrin.core.document import Project, Take
from clevrin.core.media.picture import Picture, rgb_from_picture
from clevrin.core.render.executor import execute
from clevrin.core.render.plan import Layer, Plan, Quality
from clevrin.core.render.planner import plan_frame
from clevrin.core.render.sources import Sources


def picture(
    project: Project,
    frame: int,
    size: tuple[int, int],
    sources: Sources | None = None,
    *,
    quality: Quality = "final",
) -> NDArray[np.uint8]:
    """RGB (height, width, 3) uint8, read-only, of one frame of the reel; black outside of it.

    A pure function of the document, the measurements on the shelf and the media. `sources` keeps films open
    from one call to the next; without it they are opened and closed here. A shot whose hold is not measured yet
    is shown as shot. Raises `MediaError` for a take that cannot be read.
    """
    own = sources is None
    sources = sources or Sources()
    try:
        rgb = rgb_from_picture(planes(project, frame, size, sources, quality=quality))
    finally:
        if own:
            sources.close()
    rgb.flags.writeable = False
    return rgb


def planes(
    project: Project,
    frame: int,
    size: tuple[int, int],
    sources: Sources,
    *,
    quality: Quality = "final",
    held: bool = True,
) -> Picture:
    """The same as the planes that an encoder takes."""
    return carried_out(plan_frame(project, frame, size, sources, held=held), project.take, sources, quality)


def carried_out(plan: Plan, take_of: Callable[[str], Take], sources: Sources, quality: Quality) -> Picture:
    """The picture of a plan; `take_of` gives the takes that its layers name."""

    def read(layer: Layer, frame: int) -> Picture:
        take = take_of(layer.take_id)
        return sources.read(take, frame) if frame == layer.frame else sources.read_beside(take, frame)

    return execute(plan, read, quality)
