"""The one place that turns a plan into pixels: every source plane is resampled once."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from functools import cache, lru_cache, partial
from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray

from clevrin.core.document.colour import Colour
from clevrin.core.document.pinned import Film, Words
from clevrin.core.elements import Raster, raster_of, read_drawing, set_words
from clevrin.core.join.balancing import EVEN
from clevrin.core.matte import Matte, coverage
from clevrin.core.matte.colours import without_spill
from clevrin.core.media.colouring import Light, converted, light_of
from clevrin.core.media.picture import LEFT, Picture, Plane, black, picture_from_rgb
from clevrin.core.motion.geometry.models import scale_of, translation
from clevrin.core.pace.in_between import COARSE_WIDTH, FLOW_WIDTH, Moment, PairFlow, moment, pair_flow
from clevrin.core.render.pixels.compositing import beyond, blended, disc, mixed, smeared
from clevrin.core.render.pixels.effects import done, gained
from clevrin.core.render.pixels.frame_interpolation import morphed
from clevrin.core.render.pixels.open_shutter import Shuttered, seen_by_shutter
from clevrin.core.render.pixels.pin_compositing import Scene, laid_in
from clevrin.core.render.pixels.resampling import SHRINKS, Look, seen_of, shrinks, warped
from clevrin.core.render.pixels.seams import Patch, Strip, Weights, border, feathered, part_about, patched, strips
from clevrin.core.render.plan import Between, Borrowed, Layer, Pin, Plan, Quality, Sample, Wider, row9

Matrix = NDArray[np.float64]
Read = Callable[[Layer, int], Picture]
"""Gives a frame of a layer's take, upright, or a smaller proxy of it."""
Flows = Callable[[Layer, Sample, Picture, Picture, int], PairFlow]
"""Gives the flow between the two frames of a sample, whose pictures are these, measured at most so wide."""
Draw = Callable[[Pin, Colour], Raster]
"""Gives what is pinned as light of pictures of some colours."""
Lit = Callable[[Layer, int, Picture], Light]
"""Gives the light of a frame of a layer's take, whose picture is this: those beside it need it as well."""

_BORDERS = {
    "fill": cv2.BORDER_REPLICATE,
    "trim": cv2.BORDER_REPLICATE,
    "smear": cv2.BORDER_REPLICATE,
    "borrow": cv2.BORDER_REPLICATE,
    "clear": cv2.BORDER_REPLICATE,
    "mirror": cv2.BORDER_REFLECT_101,
    "bare": cv2.BORDER_CONSTANT,
    "colour": cv2.BORDER_CONSTANT,
}
_BARE = ("bare", "colour", "clear")
"""Edges beyond which nothing of the scene is seen."""
_KERNELS = {"bicubic": cv2.INTER_CUBIC, "lanczos": cv2.INTER_LANCZOS4}
_COARSE = 4
_HARDLY = 1e-3
_BLURRED_PX = 48
"""How wide what is blurred around a picture is made before it is enlarged."""


def flow_between(layer: Layer, sample: Sample, first: Picture, second: Picture, most: int) -> PairFlow:
    """The flow between the two frames of a sample, measured here."""
    assert sample.between is not None
    return pair_flow(first.y, second.y, _second_from_first(layer, sample.between, (first, second)), most)


def _second_from_first(layer: Layer, between: Between, pictures: tuple[Picture, Picture]) -> Matrix:
    """How the background moves between two pictures, in their own pixels: proxies may stand in for the film."""
    first, second = (scale_of(layer.source_size, each.size) for each in pictures)
    return np.asarray(second @ between.matrix @ np.linalg.inv(first))


def drawn(pin: Pin, colour: Colour) -> Raster:
    """Words and drawings as they come from their files; films are drawn by who has them open."""
    assert not isinstance(pin.of, Film), "a film is drawn from its frames"
    return raster_of(set_words(pin.of) if isinstance(pin.of, Words) else read_drawing(Path(pin.of.path)), colour)


@dataclass(frozen=True, kw_only=True, eq=False)
class _Material:
    """What the pictures of layers are made of."""

    read: Read
    flows: Flows
    lit: Lit


def execute(
    plan: Plan,
    read: Read,
    quality: Quality = "final",
    flows: Flows = flow_between,
    draw: Draw = drawn,
    lit: Lit = lambda _, __, picture: light_of(picture),
) -> Picture:
    """The picture of a plan.

    Bicubic or Lanczos at final quality, bilinear at draft. Sources that are much larger than the output are averaged
    down first; at final quality an output twice as fine is made of what is left, and averaged at last. Geometry is
    resampled on the coded planes, each at its own place; what is mixed is mixed as light. Costs about
    8 ms for 1280x720 at draft and 14 ms at final quality on one core; a bend half as much again, a film that is
    reduced four times as much, and what is borrowed as much as the strips that it fills. A moment between two frames
    costs four times as much, and its flow, if it is not known; an open shutter as much for each of its samples.
    """
    if not plan.layers:
        return black((plan.width, plan.height), plan.colour)
    size = plan.width, plan.height
    laid, counts = [], []
    material = _Material(read=read, flows=flows, lit=lit)
    for layer in plan.layers:
        seen, covered = _laid(material, layer, plan, quality)
        seen = _without_casts(seen, layer)
        if layer.pins:
            seen = _with_pins(seen, read, layer, quality, draw)
        laid.append(converted(seen, plan.colour))
        counts.append(_weight(layer, size, covered))
    whole = laid[0]
    if len(laid) > 1:
        counts = _behind_fronts(read, plan.layers, counts, size)
        whole = mixed(laid, _with_rest(plan.layers, counts, size))
    for effect in plan.effects:
        whole = done(effect, whole)
    return whole


def _weight(layer: Layer, size: tuple[int, int], covered: Weights | None) -> float | Weights:
    """How much of a layer counts: the same everywhere, or what is behind its edge and within its matte."""
    count: float | Weights = layer.weight
    if layer.behind is not None:
        count = count * beyond(layer.behind, size)
    return count if covered is None else count * covered


def _behind_fronts(
    read: Read, layers: Sequence[Layer], counts: list[float | Weights], size: tuple[int, int]
) -> list[float | Weights]:
    """How much of each layer counts where the others have something that stands before it."""
    for number, layer in enumerate(layers):
        if layer.front is not None:
            front = _cover_while_open(read, layer, layer.front.matte, size) * np.float32(layer.front.share)
            counts = [c if k == number else np.asarray(c * (1 - front), np.float32) for k, c in enumerate(counts)]
    return counts


def _with_rest(layers: Sequence[Layer], counts: list[float | Weights], size: tuple[int, int]) -> list[float | Weights]:
    """How much of each layer counts, where those that are the rest share what the others leave."""
    if not any(layer.rest for layer in layers):
        return counts
    taken = np.zeros((size[1], size[0]), np.float32)
    for layer, count in zip(layers, counts, strict=True):
        if not layer.rest:
            taken += np.float32(count)
    left = np.maximum(1 - taken, 0)
    return [
        np.asarray(count * left, np.float32) if layer.rest else count
        for layer, count in zip(layers, counts, strict=True)
    ]


def _laid(material: _Material, layer: Layer, plan: Plan, quality: Quality) -> tuple[Picture, Weights | None]:
    """A layer's picture, and how much of it its matte covers; None: all of it.

    Its moments are light on each other as far as each is covered: what a matte leaves out does not shine through.
    """
    if layer.matte is None:
        return _shown(material, layer, plan, quality), None
    size, covers = (plan.width, plan.height), []
    known: dict[int, Weights] = {}
    for sample in layer.samples:
        if sample.frame not in known:
            known[sample.frame] = _cover_of(material.read(layer, sample.frame), layer, layer.matte)
        laid = _laid_cover(known[sample.frame], layer, layer.matte, sample.matrix, size)
        covers.append(laid * np.float32(sample.weight))
    whole = np.asarray(np.sum(covers, axis=0), np.float32)
    alone = replace(layer, matte=None, spared=None)
    moments = (replace(alone, samples=(replace(sample, weight=1.0),)) for sample in layer.samples)
    pictures = (_shown(material, moment, plan, quality) for moment in moments)  # one at a time: each is large
    if len(covers) == 1:
        return next(pictures), whole
    return mixed(pictures, covers), whole


def _without_casts(picture: Picture, layer: Layer) -> Picture:
    """A layer's picture without the cast of the colours by which it, or what is before it, is cut out."""
    mattes = (layer.matte, None if layer.front is None else layer.front.matte)
    for each in (colour for matte in mattes if matte is not None for colour in matte.spills):
        picture = without_spill(picture, each.labs, each.spill)
    return picture


def _with_pins(picture: Picture, read: Read, layer: Layer, quality: Quality, draw: Draw) -> Picture:
    """A layer's picture with what is pinned in its scene."""
    source, size = read(layer, layer.frame), picture.size
    look = _look(layer, layer.middle, source, size, quality)

    @cache  # several elements may stand behind one thing
    def cover(matte: Matte) -> Weights:
        return _cover_while_open(read, layer, matte, size)

    seen: Weights | None = None
    if layer.edge in _BARE:
        seen = seen_of(source, look).astype(np.float32) / np.float32(255)
    if layer.window is not None:
        left, top, right, bottom = window_pixels(layer.window)
        within = np.zeros((size[1], size[0]), np.float32)
        within[top:bottom, left:right] = 1
        seen = within if seen is None else seen * within
    scene = Scene(layer=layer, source=source, look=look, seen=seen, cover=cover)
    return laid_in(picture, layer.pins, scene, lambda pin: draw(pin, picture.colour), quality)


def _cover_while_open(read: Read, layer: Layer, matte: Matte, size: tuple[int, int]) -> Weights:
    """(h, w) of the output: how much a matte of a layer's own frame covers, over all its moments."""
    own = _cover_of(read(layer, layer.frame), layer, matte)
    laid = (_laid_cover(own, layer, matte, each.matrix, size) * np.float32(each.weight) for each in layer.samples)
    return np.asarray(sum(laid), np.float32)


def _cover_of(source: Picture, layer: Layer, matte: Matte) -> Weights:
    return coverage(matte, layer.source_size, source.size, source if matte.of_picture else None)


def _laid_cover(cover: Weights, layer: Layer, matte: Matte, src_from_out: Matrix, size: tuple[int, int]) -> Weights:
    """(h, w) of the output: how much of a moment is covered, laid as its picture is."""
    matrix = scale_of(layer.source_size, (cover.shape[1], cover.shape[0])) @ src_from_out
    border = cv2.BORDER_CONSTANT if matte.beyond == "nothing" else cv2.BORDER_REPLICATE
    flags = cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP
    return np.asarray(cv2.warpPerspective(cover, matrix, size, flags=flags, borderMode=border))


def _shown(material: _Material, layer: Layer, plan: Plan, quality: Quality) -> Picture:
    """The picture of a layer without its matte."""
    read = material.read
    source = read(layer, layer.frame)
    size = plan.width, plan.height
    scale = scale_of(layer.source_size, source.size)  # a proxy may stand in for the film
    matrix = scale @ layer.matrix
    plain = layer.bend is None and layer.window is None and layer.edge != "clear" and _of_one_frame(layer)
    plain = plain and layer.gains == EVEN and layer.wider is None
    if plain and source.size == size and source.siting == LEFT and np.allclose(matrix, np.eye(3), atol=1e-9):
        return source
    if layer.wider is not None and source.alpha is None:
        source, scale = _wider(source, scale, layer, layer.wider, read)
    look = _look(layer, layer.middle, source, size, quality, scale)
    picture = _seen_while_open(material, layer, source, size, quality, scale)
    if layer.borrowed:
        picture = _with_borrowed(picture, source, look, layer, layer.borrowed, read)
    if layer.gains != EVEN:
        picture = gained(picture, layer.gains)
    if layer.crispness > 0 and quality == "final":
        picture = replace(picture, y=_crisp(picture.y, layer.crispness, matrix))
    if layer.window is not None:
        picture = _windowed(picture, layer.window, layer.around)
    if layer.edge == "clear":
        seen = seen_of(source, look)
        picture = replace(picture, alpha=seen.astype(np.uint16) * 257 if picture.deep else seen)
    return picture


def _of_one_frame(layer: Layer) -> bool:
    return len(layer.samples) == 1 and layer.samples[0].between is None


def _look(
    layer: Layer,
    sample: Sample,
    source: Picture,
    size: tuple[int, int],
    quality: Quality,
    scale: Matrix | None = None,
) -> Look:
    """How a moment is laid. `scale`: from pixels of the layer's source to those of its picture, if they are known."""
    scale = scale_of(layer.source_size, source.size) if scale is None else scale
    return Look(
        matrix=scale @ sample.matrix,
        bend=None if layer.bend is None else np.array(layer.bend) * (scale[0, 0], scale[1, 1]),
        size=size,
        border=_BORDERS[layer.edge],
        colour=_coded(layer.colour if layer.edge == "colour" else "#000000", source),
        kernel=_KERNELS[layer.kernel] if quality == "final" else cv2.INTER_LINEAR,
        siting=source.siting,
    )


def _seen_while_open(
    material: _Material, layer: Layer, source: Picture, size: tuple[int, int], quality: Quality, scale: Matrix
) -> Picture:
    """All moments of a layer as light on each other; `scale`: to pixels of the picture of its own frame."""
    read = material.read

    @cache
    def moment_of(sample: Sample, most: int) -> Moment | None:
        """Where it takes its pixels from, by a flow so wide; None where nothing leads from one frame to the other."""
        assert sample.between is not None
        pair = material.flows(layer, sample, first_of(sample), read(layer, sample.between.frame), most)
        return None if pair.apart else moment(pair, sample.between.share)

    def first_of(sample: Sample) -> Picture:
        return source if sample.frame == layer.frame else read(layer, sample.frame)

    def shown(sample: Sample, part: Strip | None = None, *, blurred: bool = False) -> Picture:
        first = first_of(sample)
        look = _look(layer, sample, first, size, quality, scale if sample.frame == layer.frame else None)
        if blurred and shrinks(look.matrix) > SHRINKS:  # a finer one costs four times as much, and others lie over it
            look = replace(look, kernel=cv2.INTER_LINEAR)
        if part is not None:
            look = replace(look, matrix=look.matrix @ translation(part.left, part.top), size=part.size)
        if sample.between is None:
            return warped(first, look)
        pictures = first, read(layer, sample.between.frame)
        most = COARSE_WIDTH if blurred else FLOW_WIDTH
        return _shown_between(layer, sample, pictures, look, partial(moment_of, most=most))

    if len(layer.samples) == 1:
        return shown(layer.samples[0])
    weights = [each.weight for each in layer.samples]

    def gathered(sharp: Strip | None = None) -> Picture:
        """All of it; what comes over `sharp` is made by others."""
        if _of_one_picture(layer) and source.alpha is None:
            return smeared(
                source, [_look(layer, each, source, size, quality, scale) for each in layer.samples], weights
            )
        coarse = partial(moment_of, most=COARSE_WIDTH)
        found = seen_by_shutter(_shuttered(material, layer, source, size, quality, scale, coarse), sharp)
        return mixed((shown(each) for each in layer.samples), weights) if found is None else found

    if layer.spared is None:
        return gathered()
    if not isinstance(layer.spared, Matte):
        return blended(shown(layer.middle), gathered(), disc(layer.spared, size))
    cover = _cover_of(read(layer, layer.middle.frame), layer, layer.spared)
    matte = replace(layer.spared, beyond="nothing")
    covers = [_laid_cover(cover, layer, matte, each.matrix, size) for each in layer.samples]
    middle = covers[len(covers) // 2]
    if source.alpha is not None or layer.bend is not None:
        return blended(shown(layer.middle), gathered(), middle)
    part = part_about(covers)
    if part is None:
        return gathered()
    whole = gathered(part)
    # What stays sharp leaves no trail: about it there is what else was seen there while the shutter was open.
    rest = [np.float32(w) * part.of(np.maximum(1 - c, _HARDLY)) for w, c in zip(weights, covers, strict=True)]
    about = mixed((shown(each, part, blurred=True) for each in layer.samples), rest)
    about = blended(shown(layer.middle, part), about, part.of(middle))
    planes = [plane.copy() for plane in whole.planes]
    part.put(planes, blended(about, part.cut(whole), part.soft_edges(size)))
    return replace(whole, y=planes[0], u=planes[1], v=planes[2])


def _shuttered(
    material: _Material,
    layer: Layer,
    source: Picture,
    size: tuple[int, int],
    quality: Quality,
    scale: Matrix,
    moment_of: Callable[[Sample], Moment | None],
) -> Shuttered:
    """The moments of a layer for who makes them together."""

    @cache
    def picture(frame: int) -> Picture:
        return source if frame == layer.frame else material.read(layer, frame)

    def pictures(sample: Sample) -> tuple[Picture, Picture]:
        assert sample.between is not None
        return picture(sample.frame), picture(sample.between.frame)

    @cache
    def look(sample: Sample) -> Look:
        own = sample.frame == layer.frame
        return _look(layer, sample, picture(sample.frame), size, quality, scale if own else None)

    @cache
    def second_from_first(sample: Sample) -> Matrix:
        assert sample.between is not None
        return _second_from_first(layer, sample.between, pictures(sample))

    @cache
    def flow(sample: Sample) -> PairFlow:
        return material.flows(layer, sample, *pictures(sample), COARSE_WIDTH)

    return Shuttered(
        layer=layer,
        picture=picture,
        lit=lambda frame: material.lit(layer, frame, picture(frame)),
        look=look,
        flow=flow,
        moment=moment_of,
        second_from_first=second_from_first,
    )


def _of_one_picture(layer: Layer) -> bool:
    """Whether all moments of a layer are of one frame, by straight maps."""
    return layer.bend is None and all(e.frame == layer.frame and e.between is None for e in layer.samples)


def _shown_between(
    layer: Layer,
    sample: Sample,
    pictures: tuple[Picture, Picture],
    look: Look,
    moment_of: Callable[[Sample], Moment | None],
) -> Picture:
    """A moment between two frames; both pictures are resampled once, where the hold and what moves say."""
    between = sample.between
    assert between is not None
    second_from_first = _second_from_first(layer, between, pictures)
    if between.made == "mix":
        laid = [warped(pictures[0], look), warped(pictures[1], replace(look, matrix=second_from_first @ look.matrix))]
        return mixed(laid, [1 - between.share, between.share])
    at = moment_of(sample)
    if at is None:
        nearer = 0 if between.share <= 0.5 else 1
        return warped(pictures[nearer], replace(look, matrix=(np.eye(3), second_from_first)[nearer] @ look.matrix))
    return morphed(pictures, look, at, second_from_first)


def _wider(source: Picture, scale: Matrix, layer: Layer, wider: Wider, read: Read) -> tuple[Picture, Matrix]:
    """A source with what other frames saw beyond its edges, and the map to its pixels from those of the layer's."""
    across, down = scale[0, 0], scale[1, 1]
    left, right = (round(px * across / 2) * 2 for px in (wider.left, wider.right))
    top, bottom = (round(px * down / 2) * 2 for px in (wider.top, wider.bottom))
    planes = [
        cv2.copyMakeBorder(plane, top // by, bottom // by, left // by, right // by, cv2.BORDER_REFLECT_101)
        for plane, by in zip(source.planes, (1, 2, 2), strict=True)
    ]
    whole = replace(source, y=planes[0], u=planes[1], v=planes[2])
    moved = translation(left, top)
    of_wider = moved @ scale @ translation(-wider.left, -wider.top)
    back = np.linalg.inv(of_wider)
    lenders = [replace(each, src_from_out=row9(each.matrix @ back)) for each in wider.lenders]
    look = Look(
        matrix=np.asarray(np.linalg.inv(moved)),
        bend=None,
        size=whole.size,
        border=cv2.BORDER_REFLECT_101,
        colour=(0, 0, 0),
        kernel=cv2.INTER_LINEAR,  # it is seen while it moves
        siting=source.siting,
    )
    parts = border(whole.size, left, top, right, bottom)
    return _with_borrowed(whole, source, look, layer, lenders, read, parts), np.asarray(moved @ scale)


def _with_borrowed(
    picture: Picture,
    source: Picture,
    look: Look,
    layer: Layer,
    lenders: Sequence[Borrowed],
    read: Read,
    parts: Sequence[Strip] | None = None,
) -> Picture:
    """What lies beyond the edge, from other frames, blended without seams; what none of them saw stays smeared.

    Only the strips along the border that the picture does not fill are made; `parts`: those, where they are known.
    """
    there = _there(source, look)
    lent = []
    for each in lenders:
        other = read(layer, each.frame)
        matrix = scale_of(layer.source_size, other.size) @ each.matrix
        laid = replace(look, matrix=matrix, bend=None)
        weights = _there(other, laid)
        if each.without is not None:
            without = replace(each.without, beyond="nothing")
            cover = _laid_cover(_cover_of(other, layer, without), layer, without, each.matrix, look.size)
            weights = weights * (1 - cover)
        lent.append((other, laid, weights))
    planes = [plane.copy() for plane in picture.planes]
    for strip in strips(there) if parts is None else parts:
        shift = translation(strip.left, strip.top)
        patches = [
            Patch(
                picture=warped(other, replace(laid, matrix=laid.matrix @ shift, size=strip.size)),
                there=strip.of(weights),
            )
            for other, laid, weights in lent
        ]
        strip.put(planes, patched(strip.cut(picture), strip.of(there), patches))
    return replace(picture, y=planes[0], u=planes[1], v=planes[2])


def _there(source: Picture, look: Look) -> Weights:
    """How much of the source counts at each pixel of the output; its soft edge is made at a quarter of the size."""
    size = tuple(max(2, side // _COARSE) for side in look.size)
    coarse = replace(look, matrix=look.matrix @ scale_of((size[0], size[1]), look.size), size=(size[0], size[1]))
    soft = feathered(seen_of(source, coarse))
    return cv2.resize(soft, look.size, interpolation=cv2.INTER_LINEAR)


def _windowed(picture: Picture, window: tuple[float, float, float, float], around: str) -> Picture:
    """Something else outside of a window; its edges fall on even pixels, so that no chroma is cut."""
    left, top, right, bottom = window_pixels(window)
    codes = (0, 0, 0) if around == "blurred" else _coded(around, picture)
    planes = []
    for plane, code, by in zip(picture.planes, codes, (1, 2, 2), strict=True):
        area = slice(top // by, bottom // by), slice(left // by, right // by)
        inner = plane[area]
        framed = _blurred_out(inner, plane.shape) if around == "blurred" and inner.size else np.full_like(plane, code)
        framed[area] = inner
        planes.append(framed)
    return replace(picture, y=planes[0], u=planes[1], v=planes[2])


def _blurred_out(plane: Plane, shape: tuple[int, ...]) -> Plane:
    """A plane enlarged until it covers a shape, and blurred until nothing in it draws the eye."""
    height, width = plane.shape
    scale = min(width / shape[1], height / shape[0])
    w, h = max(1, round(shape[1] * scale)), max(1, round(shape[0] * scale))
    left, top = (width - w) // 2, (height - h) // 2
    across = max(2, round(_BLURRED_PX * min(1.0, shape[1] / shape[0])))
    down = max(2, round(across * shape[0] / shape[1]))
    small = cv2.resize(plane[top : top + h, left : left + w], (across, down), interpolation=cv2.INTER_AREA)
    soft = cv2.GaussianBlur(small, (0, 0), 1.6, borderType=cv2.BORDER_REFLECT)
    return cv2.resize(soft, (shape[1], shape[0]), interpolation=cv2.INTER_CUBIC)


def window_pixels(window: tuple[float, float, float, float]) -> tuple[int, int, int, int]:
    """The pixels, even ones, that lie within a window's edges: first column and row, and those behind the last."""
    left, top = (2 * max(0, int(np.ceil((at + 0.5) / 2))) for at in window[:2])
    right, bottom = (2 * max(0, int((at + 0.5) / 2)) for at in window[2:])
    return left, top, right, bottom


def _crisp(y: Plane, amount: float, matrix: Matrix) -> Plane:
    """An unsharp mask as wide and as strong as the picture was enlarged."""
    enlarged = 1 / shrinks(matrix)
    soft = cv2.GaussianBlur(y, (0, 0), 0.8 * max(1.0, enlarged))
    strength = 1.5 * amount * min(2.0, max(0.5, enlarged))
    return cv2.addWeighted(y, 1 + strength, soft, -strength, 0)


def _coded(colour: str, like: Picture) -> tuple[int, int, int]:
    """A colour as screens show it (#rrggbb), as luma and chroma of a picture."""
    return _codes(colour, like.colour, like.deep)


@lru_cache(maxsize=64)  # asked for each moment of each picture
def _codes(colour: str, of: Colour, deep: bool) -> tuple[int, int, int]:
    red, green, blue = (int(colour[k : k + 2], 16) for k in (1, 3, 5))
    field = picture_from_rgb(np.full((2, 2, 3), (red, green, blue), np.uint8))
    field = converted(field.deepened() if deep else field, of)
    return int(field.y[0, 0]), int(field.u[0, 0]), int(field.v[0, 0])
