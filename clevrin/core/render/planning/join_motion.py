"""What a join does to a layer: its move on top of the layer's own map, and seen through the join's shutter. Pure."""

from dataclasses import replace
from math import ceil

import numpy as np
from numpy.typing import NDArray

from clevrin.core.join.balancing import EVEN
from clevrin.core.join.kinds.kind import AreaOf, Edge
from clevrin.core.matte.matte import Matte, MattePart, Painted
from clevrin.core.motion.geometry.models import apply, longest_way, pixel_corners
from clevrin.core.render.measured.carried import AreaKnown
from clevrin.core.render.pixels.resampling import shrinks
from clevrin.core.render.plan import Front, HalfPlane, Layer, Sample, Spared, Wider, moved_samples, row9
from clevrin.core.render.planning.borrowing import wider_picture
from clevrin.core.render.planning.shot_map import units
from clevrin.core.render.resolving.resolving import Lenders, Shown

Matrix = NDArray[np.float64]
Size = tuple[int, int]

_SMEAR_PX, _MOST_SAMPLES = 3.0, 64
"""Samples of a move lie so near to each other, and are no more than so many."""
_STEPS = 8
_HARDLY_PX = 0.75
_GOES = 4.0
"""What stands before a surface goes in the last quarter of the way through it."""


def moved(layer: Layer, shown: Shown, size: Size) -> Layer:
    """A layer as a join and motion over the reel have it show at a frame; as it is where nothing moves it."""
    if shown.gains != EVEN:
        layer = replace(layer, gains=shown.gains)
    if shown.rest:
        layer = replace(layer, rest=True)
    if shown.area is not None and shown.resolved.area is not None:
        layer = replace(layer, matte=_seen_within(shown.resolved.area, shown.area, layer.frame))
    if shown.front is not None and shown.resolved.area is not None:
        layer = replace(layer, front=_front(shown.resolved.area, shown.front, shown, layer.frame))
    if shown.framed:
        layer = replace(layer, matte=_own_picture(layer, size))
    if shown.behind is not None:
        layer = replace(layer, behind=_in_pixels(shown.behind, size))
    if shown.move is None and shown.over is None:
        return layer
    own, over, (to_unit, from_unit) = shown.move, shown.over, units(size)

    def at(later: float) -> Matrix:
        whole = np.eye(3) if own is None else own(later)
        return np.asarray(from_unit @ (whole if over is None else whole @ over(later)) @ to_unit)

    if over is not None:
        layer = _seen_through(layer, np.asarray(from_unit @ over(0.0) @ to_unit))
    if own is None:
        here = at(0.0)
        return replace(
            layer,
            samples=tuple(replace(each, src_from_out=row9(each.matrix @ here)) for each in layer.samples),
            borrowed=tuple(replace(each, src_from_out=row9(each.matrix @ here)) for each in layer.borrowed),
            pins=tuple(each.moved([here]) for each in layer.pins),
        )
    half = shown.shutter_deg / 720
    length = longest_way(map(at, np.linspace(-half, half, _STEPS + 1)), at(0.0), size)
    count = 1 if length < _HARDLY_PX else min(_MOST_SAMPLES, ceil(length / _SMEAR_PX)) | 1
    count = max(count, len(layer.samples))
    offsets = [half * ((2 * k + 1) / count - 1) for k in range(count)] if count > 1 else [0.0]
    moves = list(map(at, offsets))
    samples = moved_samples(layer.samples, moves)
    longest = max(layer.added_blur_px, length if count > 1 else 0.0)
    # Beyond what was seen the picture goes on mirrored: no edge and no seam is seen while it moves.
    corners = np.array(pixel_corners(*size), np.float64)
    before, after = (apply(np.asarray(np.linalg.inv(at(each)) @ at(0.0)), corners) for each in (-0.5, 0.5))
    return replace(
        layer,
        samples=samples,
        pins=tuple(each.moved(moves) for each in layer.pins),
        edge="mirror",
        borrowed=(),
        spared=_kept_sharp(layer, shown) if count > 1 else None,
        wider=_wider(layer, shown.resolved.beyond, samples, size, longest),
        added_blur_px=longest,
        made_speed_px=float(np.hypot(*(after - before).T).mean()),
    )


def _kept_sharp(layer: Layer, shown: Shown) -> Matte | None:
    """What of a shot the blur of a join spares, on the frame that is shown."""
    sharp = shown.resolved.sharp
    return sharp.at(layer.frame) if isinstance(sharp, AreaKnown) else None


def _seen_within(known: AreaKnown, area: AreaOf, frame: int) -> Matte:
    """A matte of an area on a frame, or of what lies beyond it."""
    return replace(known.at(frame), inverted=area.beyond)


def _front(known: AreaKnown, area: AreaOf, shown: Shown, frame: int) -> Front:
    """What stands before a surface; it goes as the gate comes to it, so that in the end nothing of it is seen."""
    gone = 0.0 if shown.door is None else shown.door.gone(shown.from_cut)
    return Front(matte=_seen_within(known, area, frame), share=min(1.0, max(0.0, (1 - gone) * _GOES)))


def _own_picture(layer: Layer, size: Size) -> Matte:
    """A matte of what of a layer is seen as it lies by itself: nothing of it is seen beyond that."""
    corners = apply(layer.matrix, np.array(pixel_corners(*size), np.float64))
    places = tuple((float(x), float(y)) for x, y in corners)
    return Matte(parts=(MattePart(of=Painted(shape="box", places=places)),), beyond="nothing")


def _wider(
    layer: Layer, beyond: Lenders | None, samples: tuple[Sample, ...], size: Size, blur_px: float
) -> Wider | None:
    """How far a picture that moves goes on by what other frames of its take saw; None where it cannot."""
    of_one = all(each.frame == layer.frame and each.between is None for each in samples)
    if beyond is None or not of_one or layer.bend is not None or layer.window is not None:
        return None
    shown = [samples[k].matrix for k in (0, len(samples) // 2, -1)]
    return wider_picture(beyond.trace, beyond.chain, layer.frame, shown, size, blur_px * shrinks(layer.matrix))


def _seen_through(layer: Layer, move: Matrix) -> Layer:
    """What of a layer lies at places of the output, where a move takes the output's places to those it was made for."""
    back = np.asarray(np.linalg.inv(move), np.float64)
    behind, window, spared = layer.behind, layer.window, layer.spared
    if behind is not None:
        across, down = np.array([behind.across, behind.down]) @ move[:2, :2]
        long = float(np.hypot(across, down))
        at = behind.at - behind.across * move[0, 2] - behind.down * move[1, 2]
        behind = HalfPlane(across=across / long, down=down / long, at=at / long, soft=behind.soft / long)
    if window is not None:
        left, top, right, bottom = window
        corners = apply(back, np.array([[left, top], [right, top], [right, bottom], [left, bottom]], np.float64))
        (left, top), (right, bottom) = corners.min(axis=0), corners.max(axis=0)
        window = float(left), float(top), float(right), float(bottom)
    if isinstance(spared, Spared):  # a matte lies on the take
        x, y = apply(back, np.array([[spared.x, spared.y]], np.float64))[0]
        grown = float(np.sqrt(abs(np.linalg.det(back[:2, :2]))))
        spared = Spared(x=float(x), y=float(y), radius=spared.radius * grown, feather=spared.feather * grown)
    return replace(layer, behind=behind, window=window, spared=spared)


def _in_pixels(edge: Edge, size: Size) -> HalfPlane:
    """A passing edge on an output."""
    width, height = size
    x, y = edge.normal
    middle = x * (width - 1) / 2 + y * (height - 1) / 2
    return HalfPlane(across=x, down=y, at=middle + edge.at * width, soft=max(1.0, edge.soft * width))
