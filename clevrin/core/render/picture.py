"""The picture of the reel at an instant: what playback, thumbnails, tests, commands and export all call."""

from collections.abc import Callable, Mapping

import numpy as np
from numpy.typing import NDArray

from clevrin.core.document import Film, Project, Shot, Take
from clevrin.core.document.colour import Colour
from clevrin.core.elements import Raster
from clevrin.core.media.colouring import Light, shown
from clevrin.core.media.picture import Picture, rgb_from_picture
from clevrin.core.pace.in_between import PairFlow
from clevrin.core.render.measured.measurement_store import MeasurementStore
from clevrin.core.render.pixels.executor import execute, flow_between
from clevrin.core.render.pixels.films import Films
from clevrin.core.render.plan import Layer, Pin, Plan, Quality, Sample
from clevrin.core.render.planning.planner import plan_frame
from clevrin.core.render.resolving.hold_request import HoldRequest
from clevrin.core.render.resolving.resolving import ResolvedShot, resolve, resolve_frame
from clevrin.core.render.sources import Sources


def picture(
    project: Project,
    frame: int,
    size: tuple[int, int],
    sources: Sources | None = None,
    *,
    quality: Quality = "final",
) -> NDArray[np.uint8]:
    """RGB (height, width, 3) uint8, read-only, of one frame of the reel as a screen shows it; black outside of it.

    A pure function of the document, the measurements on the shelf and the media. `sources` keeps films open
    from one call to the next; without it they are opened and closed here. A shot whose hold is not measured yet
    is shown as shot. Raises `MediaError` for a take that cannot be read.
    """
    own = sources is None
    sources = sources or Sources.of()
    try:
        rgb = rgb_from_picture(shown(planes(project, frame, size, sources, quality=quality)))
    finally:
        if own:
            sources.close()
    rgb.flags.writeable = False
    return rgb


def planes(
    project: Project, frame: int, size: tuple[int, int], sources: Sources, *, quality: Quality = "final"
) -> Picture:
    """The same as the planes that an encoder takes."""
    plan = plan_at(project, frame, size, sources.measured)
    return carried_out(plan, project.take, sources.films, quality)


def plan_at(project: Project, frame: int, size: tuple[int, int], store: MeasurementStore) -> Plan:
    """The plan of a frame of the reel as far as its shots are measured; decodes nothing."""

    def of(shot: Shot) -> ResolvedShot:
        return resolve(HoldRequest.of(project, shot), store)

    return plan_frame(resolve_frame(project, frame, of), size)


def trust_of(layer: Layer, take: Take, films: Films) -> float | None:
    """How far the moments of a layer can be trusted, 0 to 1: as far as the worst of them; None where that is not known.

    It is known of those whose flow was asked for with these films.
    """
    invented = [each for each in layer.samples if each.between is not None]
    found = [films.trusts.get(_trust_key(take, each)) for each in invented]
    return min((float(each) for each in found if isinstance(each, float)), default=None if invented else 1.0)


def _trust_key(take: Take, sample: Sample) -> tuple[str, int, int]:
    assert sample.between is not None
    return take.fingerprint, sample.frame, sample.between.frame


Given = Mapping[tuple[str, int], Picture]
"""Frames by the id of their take and their number."""


def frames_read(plan: Plan, take_of: Callable[[str], Take], films: Films, before: Given | None = None) -> Given:
    """The frames that the moments of a plan are made of, but not what is borrowed. Raises `MediaError`.

    `before`: what was read for another plan, of which some may serve again.
    """
    wanted = {(layer.take_id, frame) for layer in plan.layers for frame in layer.frames}
    before = before or {}
    return {key: before[key] if key in before else films.read(take_of(key[0]), key[1]) for key in sorted(wanted)}


def carried_out(
    plan: Plan, take_of: Callable[[str], Take], films: Films, quality: Quality, given: Given | None = None
) -> Picture:
    """The picture of a plan; `take_of` gives the takes that its layers name, `given` are frames that are read already.

    Several threads may make pictures with one `films`.
    """

    def read(layer: Layer, frame: int) -> Picture:
        found = None if given is None else given.get((layer.take_id, frame))
        if found is not None:
            return found
        take = take_of(layer.take_id)
        return films.read(take, frame) if frame in layer.frames else films.read_borrowed(take, frame)

    def flows(layer: Layer, sample: Sample, first: Picture, second: Picture, most: int) -> PairFlow:
        assert sample.between is not None
        frames = _trust_key(take_of(layer.take_id), sample)
        background = tuple(round(each, 6) for each in sample.between.to_from_src)
        key = *frames, background, first.size, most
        pair = films.flows.once(key, lambda: flow_between(layer, sample, first, second, most))
        films.trusts.put(frames, pair.trust)
        return pair

    def lit(layer: Layer, frame: int, picture: Picture) -> Light:
        return films.lit(take_of(layer.take_id), frame, picture)

    def draw(pin: Pin, colour: Colour) -> Raster:
        return films.drawn(pin, take_of(pin.of.take_id) if isinstance(pin.of, Film) else None, colour)

    return execute(plan, read, quality, flows, draw, lit)
