"""The layer of one shot: which frames of its take under which map, with what it borrows and what is pinned. Pure."""

from dataclasses import replace

from clevrin.core.render.plan import Layer, bend_rows, row9
from clevrin.core.render.planning.borrowing import borrowed_frames
from clevrin.core.render.planning.join_motion import moved
from clevrin.core.render.planning.pinning import pinned_still, pinned_to
from clevrin.core.render.planning.shot_map import ShotMap
from clevrin.core.render.planning.shutter_samples import Moments
from clevrin.core.render.planning.synthetic_blur import rushed
from clevrin.core.render.resolving.resolving import Held, Lacking, ResolvedShot, Shown

Size = tuple[int, int]


def plan_shot(resolved: ResolvedShot, frame: int, reel_size: Size, size: Size, *, weight: float = 1.0) -> Layer:
    """The layer that shows a frame of a shot's take on the reel: with its hold, its mirroring and what is pinned."""
    return _laid_out(ShotMap.of(resolved, reel_size, size), frame, weight, None, borrows=True)


def plan_shown(shown: Shown, reel_size: Size, size: Size) -> Layer:
    """The layer of a shot at a frame of the reel: of one frame of its take, or of the moments that it shows.

    A join moves it on top of all that, and it is seen through the join's shutter.
    """
    resolved, laid = shown.resolved, ShotMap.of(shown.resolved, reel_size, size)
    moments = None
    if resolved.course is not None and not isinstance(resolved.state, Lacking):
        moments = Moments(shown=shown, course=resolved.course, held_from_out=laid.held_from_out, size=size)
    # What a join moves goes on mirrored, or by a wider picture: nothing is borrowed for it.
    layer = _laid_out(laid, shown.frame, shown.weight, moments, borrows=shown.move is None)
    return moved(layer, shown, size)


def _laid_out(laid: ShotMap, frame: int, weight: float, moments: Moments | None, *, borrows: bool) -> Layer:
    """A frame of the take as it lies by itself, or the moments that a frame of the reel shows of it."""
    layer = _bare(laid, frame, weight)
    if moments is not None:
        layer = replace(layer, samples=moments.samples, spared=moments.spared, added_blur_px=moments.added_blur_px)
    if borrows and all(each.between is None for each in layer.samples):
        layer = _with_borrowed(layer, laid)
    resolved = laid.resolved
    if resolved.pinned and not isinstance(resolved.state, Lacking):
        if moments is None:
            layer = replace(layer, pins=pinned_still(resolved, frame, laid.held_from_out))
        else:
            layer = replace(layer, pins=pinned_to(layer, moments))
    return layer if moments is None else rushed(layer, moments)


def _bare(laid: ShotMap, frame: int, weight: float) -> Layer:
    """What is shown of a frame of the take alone, without what is borrowed and what is pinned."""
    resolved, state = laid.resolved, laid.resolved.state
    take, hold = resolved.take, resolved.shot.hold
    plain = Layer.of(
        take_id=take.id,
        path=take.path,
        frame=frame,
        source_size=(take.facts.width, take.facts.height),
        src_from_out=row9(laid.held_from_out),
        window=laid.window,
        around="blurred" if resolved.fit == "blurred" else resolved.bars if resolved.fit == "bars" else "#000000",
        weight=weight,
    )
    if not isinstance(state, Held):
        return plain
    bend = state.path.bend_at(frame)
    return plain.laid(
        row9(laid.src_from_out(frame)),
        bend=None if bend is None else bend_rows(bend),
        edge=hold.edge,
        colour=hold.colour,
        kernel=hold.kernel,
        crispness=hold.crispness,
    )


def _with_borrowed(layer: Layer, laid: ShotMap) -> Layer:
    """The layer with what other frames of the take saw beyond the edge of this one."""
    state, kept_out = laid.resolved.state, laid.resolved.kept_out
    if not isinstance(state, Held) or state.lenders is None:
        return layer
    found = borrowed_frames(
        state.lenders.trace, state.lenders.chain, layer.frame, laid.src_from_out(layer.frame), laid.size
    )
    if kept_out is not None:
        found = tuple(replace(each, without=kept_out.at(each.frame)) for each in found)
    return replace(layer, borrowed=found)
