"""What an open shutter sees between frames of a take: the background as one picture moved, and what moves beside it.

Most of a picture moves as the camera does, or hardly otherwise: there the moments of a shutter are one frame laid in
several ways (see `smeared`). Only about what moves by itself the moments are made one by one, from the two frames on
either side. What is light is light once for each frame, whatever the number of moments.
"""

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, replace
from functools import cache, cached_property, partial
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from clevrin.core.kernels import compiled
from clevrin.core.media.colouring import Light, light_of_yuv, picture_of_light, yuv_of_light
from clevrin.core.media.picture import Picture, Plane, picture_from_yuv
from clevrin.core.motion.geometry.models import longest_way, scale_of, translation
from clevrin.core.pace.in_between import Moment, PairFlow
from clevrin.core.render.pixels.compositing import laid_light, smeared_codes
from clevrin.core.render.pixels.frame_interpolation import places_between
from clevrin.core.render.pixels.resampling import KERNEL_BORDERS, SHRINKS, Look, Places, shrinks
from clevrin.core.render.pixels.seams import SOFT_PX, Strip
from clevrin.core.render.plan import Layer, Sample, thinned
from clevrin.core.runs import runs_of

Matrix = NDArray[np.float64]
Field = NDArray[Any]

_CELL_PX = 8
"""Of the output: what moves is looked for in cells so large."""
_AROUND_CELLS = 1
_SOFT_CELLS = 3
_PART_CELLS = 8
"""What moves is made in parts so high, and as wide or a multiple of that."""
_HALF = 0.5
_MUCH = 0.2
"""Where more than that moves all is made at once: many small parts take longer."""
_FEWEST_MOMENTS = 3
_SMEAR_PX = 1.5
"""So far apart two moments may lie."""


@dataclass(frozen=True, kw_only=True, eq=False)
class Shuttered:
    """The moments of a layer: the picture of each frame that has a part in them, and how each moment is laid.

    `lit`: the light of such a picture.
    `look`: of a moment in pixels of the picture of its own frame; `flow`: of a moment between two frames, as
    fine as a mean of many needs it. `moment`: where one between two frames takes its pixels from, by that flow; None
    where nothing leads from one frame to the other.
    """

    layer: Layer
    picture: Callable[[int], Picture]
    lit: Callable[[int], Light]
    look: Callable[[Sample], Look]
    flow: Callable[[Sample], PairFlow]
    moment: Callable[[Sample], Moment | None]
    second_from_first: Callable[[Sample], Matrix]

    @property
    def open_frames(self) -> float:
        """For how many frames the shutter is open."""
        samples = self.layer.samples
        return abs(samples[-1].instant - samples[0].instant) * len(samples) / max(1, len(samples) - 1)

    @cached_property
    def outside(self) -> list[float]:
        """The light beyond the edges of pictures."""
        own = self.picture(self.layer.frame)
        return light_of_yuv(np.array([[self.look(self.layer.middle).colour]], own.y.dtype), own.colour)[0, 0].tolist()

    @cached_property
    def reach_px(self) -> float:
        """How far anything moves by itself between two frames, in pixels of a picture."""
        found = [0.0]
        for each in self.layer.samples:
            if each.between is not None:
                pair = self.flow(each)
                by = self.picture(each.frame).size[0] / pair.size[0]
                found.append(by * float(max(np.abs(pair.forward).max(), np.abs(pair.backward).max())))
        return max(found)


def seen_by_shutter(shuttered: Shuttered, over: Strip | None = None) -> Picture | None:
    """All moments as light on each other; None where they are of no kind that can be made like this.

    What moves in the middle of `over` is not made: something comes over it.

    Costs what `smeared` does, and for what moves by itself some 12 ns for each of its pixels and each moment.
    """
    samples = shuttered.layer.samples
    own = shuttered.layer.frame
    onto = _onto_frame(samples, own)
    if len(samples) < _FEWEST_MOMENTS or shuttered.layer.bend is not None:
        return None
    source = shuttered.picture(own)
    frames = {each.frame for each in samples} | {each.between.frame for each in samples if each.between is not None}
    if any(p.alpha is not None or p.size != source.size for p in map(shuttered.picture, frames)):
        return None
    if onto is None:
        return None if any(each.between is not None for each in samples) else _of_frames(shuttered)
    scale = scale_of(shuttered.layer.source_size, source.size)
    unscale = np.linalg.inv(scale)

    def laid(sample: Sample) -> Look:
        look = shuttered.look(sample)
        return replace(look, matrix=scale @ onto[sample.frame] @ unscale @ look.matrix)

    looks = [laid(each) for each in samples]
    moving = _moving(shuttered, looks)
    if over is not None:
        moving[_inside(over)] = 0
    moved = longest_way((look.matrix for look in looks), looks[len(looks) // 2].matrix, looks[0].size)
    if (moving > 0).mean() > _MUCH:
        moving = np.ones_like(moving)
        codes = np.empty((looks[0].size[1], looks[0].size[0], 3), source.y.dtype)
    else:
        enough = thinned(samples, _enough(moved))
        lit = partial(shuttered.lit, own)
        codes = smeared_codes(source, [laid(each) for each in enough], [each.weight for each in enough], lit)
    if moving.any():
        by = shrinks(looks[0].matrix)
        enough = thinned(samples, _enough(moved + shuttered.reach_px * shuttered.open_frames / max(by, 1e-3)))
        _put_in(codes, moving, replace(shuttered, layer=replace(shuttered.layer, samples=enough)))
    return picture_from_yuv(codes, source.colour)


def _of_frames(shuttered: Shuttered) -> Picture:
    """Moments of which each is a frame, of a take that is shown much quicker than it was shot."""
    source, total = shuttered.picture(shuttered.layer.frame), None
    for each in shuttered.layer.samples:
        part, look = _lit_part(shuttered, each.frame), shuttered.look(each)
        look = replace(look, matrix=part.part_from_picture @ look.matrix, kernel=cv2.INTER_LINEAR)
        total = laid_light(part.light, [look], [each.weight], shuttered.outside, total)
    assert total is not None, "a shutter sees something"
    return picture_of_light(total, source.colour, deep=source.deep)


def _inside(part: Strip) -> tuple[slice, slice]:
    """The cells that lie in the middle of a part: where its edges are soft what is under it is seen."""
    left, top, right, bottom = part.left + SOFT_PX, part.top + SOFT_PX, part.right - SOFT_PX, part.bottom - SOFT_PX
    return (
        slice(-(-top // _CELL_PX) + _SOFT_CELLS, max(0, bottom // _CELL_PX - _SOFT_CELLS)),
        slice(-(-left // _CELL_PX) + _SOFT_CELLS, max(0, right // _CELL_PX - _SOFT_CELLS)),
    )


def _enough(moved: float) -> int:
    """How many moments a blur can tell apart where something moves so many pixels."""
    return max(_FEWEST_MOMENTS, int(np.ceil(moved / _SMEAR_PX))) | 1


def _onto_frame(samples: Sequence[Sample], own: int) -> dict[int, Matrix] | None:
    """From pixels of each frame to those of one's own, as the background moves; None where that is not told."""
    steps: dict[int, dict[int, Matrix]] = {}
    for each in samples:
        if each.between is not None:
            if each.between.made != "flow":
                return None
            steps.setdefault(each.frame, {})[each.between.frame] = each.between.matrix
            back: Matrix = np.asarray(np.linalg.inv(each.between.matrix), np.float64)
            steps.setdefault(each.between.frame, {})[each.frame] = back
    found: dict[int, Matrix] = {own: np.eye(3)}
    coming = [own]
    while coming:
        at = coming.pop()
        for other, onward in steps.get(at, {}).items():
            if other not in found:
                found[other] = np.asarray(found[at] @ np.linalg.inv(onward))
                coming.append(other)
    return found if all(each.frame in found for each in samples) else None


def _moving(shuttered: Shuttered, looks: Sequence[Look]) -> Field:
    """(rows, columns) of cells of the output, 0 to 1: where anything moves by itself while the shutter is open.

    And where a frame laid by all of `looks` does not see what others do.
    """
    size = looks[0].size
    cells = tuple(-(-side // _CELL_PX) for side in size)
    out_of_cells = scale_of((cells[0], cells[1]), (cells[0] * _CELL_PX, cells[1] * _CELL_PX))
    found = np.zeros(cells[::-1], np.uint8)

    between = [each for each in shuttered.layer.samples if each.between is not None]
    for each in between:
        pair = shuttered.flow(each)
        if not pair.moving.any():
            continue
        mask = pair.moving.view(np.uint8) * np.uint8(255)
        matrix = scale_of(shuttered.picture(each.frame).size, pair.size) @ shuttered.look(each).matrix @ out_of_cells
        flags = cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP
        found |= cv2.warpPerspective(mask, matrix, (cells[0], cells[1]), flags=flags, borderMode=cv2.BORDER_CONSTANT)
    own = shuttered.picture(shuttered.layer.frame).size
    for look in looks if between else ():
        found[_beyond(look.matrix @ out_of_cells, own, (cells[0], cells[1]))] = 255
    wide = 2 * _AROUND_CELLS + 1
    about = cv2.dilate(found, np.ones((wide, wide), np.uint8))
    soft = cv2.blur((about > 0).astype(np.float32), (_SOFT_CELLS, _SOFT_CELLS))
    return np.asarray(soft)


def _beyond(matrix: Matrix, size: tuple[int, int], cells: tuple[int, int]) -> NDArray[np.bool_]:
    """(rows, columns) of cells: those that a map takes beyond the edges of a picture of a size."""
    (across, down), below = matrix[:2], matrix[2]
    x, y = np.arange(cells[0]), np.arange(cells[1])[:, None]
    found = np.zeros(cells[::-1], bool)
    # Beyond an edge is beyond a straight line in the output as well: nothing has to be divided.
    for edge in (across, down, (size[0] - 1) * below - across, (size[1] - 1) * below - down):
        found |= edge[0] * x + (edge[1] * y + edge[2]) < 0
    return found


def _put_in(codes: Plane, moving: Field, shuttered: Shuttered) -> None:
    """Puts what moves by itself into packed code values, with soft edges."""
    height, width = codes.shape[:2]
    part = cache(partial(_lit_part, shuttered))
    samples = shuttered.layer.samples
    moments = [(each, None if each.between is None else shuttered.moment(each)) for each in samples]
    for left, top, right, bottom in _parts(moving):
        x0, y0 = left * _CELL_PX, top * _CELL_PX
        x1, y1 = min(width, right * _CELL_PX), min(height, bottom * _CELL_PX)
        made = _made(shuttered, moments, part, (x0, y0, x1, y1))
        cells = moving[max(0, top - 1) : bottom + 1, max(0, left - 1) : right + 1]  # edges are soft over their seams
        fine = cells.shape[1] * _CELL_PX, cells.shape[0] * _CELL_PX
        above, before = (top - max(0, top - 1)) * _CELL_PX, (left - max(0, left - 1)) * _CELL_PX
        if cells.all():
            codes[y0:y1, x0:x1] = made
            continue
        share = cv2.resize(cells, fine, interpolation=cv2.INTER_LINEAR)
        share = np.ascontiguousarray(share[above : above + y1 - y0, before : before + x1 - x0])
        codes[y0:y1, x0:x1] = _mixed(made, codes[y0:y1, x0:x1], share)


def _mixed(over: Plane, under: Plane, share: Field) -> Plane:
    """Packed code values of two pictures, by how much of the first one is there (h, w)."""
    if under.dtype == np.uint8:
        return np.asarray(cv2.blendLinear(over, under, share, 1 - share))
    mixed = under + (over.astype(np.float32) - under) * share[..., None] + np.float32(0.5)
    return mixed.astype(under.dtype)


def _parts(moving: Field) -> Iterator[tuple[int, int, int, int]]:
    """Boxes of cells that hold all of what moves, none over another: left, top, right and bottom."""
    rows, columns = moving.shape
    if moving.all():
        yield 0, 0, columns, rows
        return
    for top in range(0, rows, _PART_CELLS):
        bottom = min(rows, top + _PART_CELLS)
        some = np.flatnonzero(moving[top:bottom].any(axis=0)) // _PART_CELLS
        for first, end in runs_of(np.isin(np.arange(-(-columns // _PART_CELLS)), some)):
            yield first * _PART_CELLS, top, min(columns, end * _PART_CELLS), bottom


def _lit_part(shuttered: Shuttered, frame: int) -> "_Part":
    """The light of a frame, averaged down where that is much larger than it is shown: it would flicker."""
    light = shuttered.lit(frame)
    smaller = shrinks(shuttered.look(shuttered.layer.middle).matrix)
    if smaller <= SHRINKS:
        return _Part(light=light, part_from_picture=np.eye(3))
    size = light.shape[1], light.shape[0]
    fitting = max(2, round(size[0] / smaller)), max(2, round(size[1] / smaller))
    small = np.asarray(cv2.resize(light, fitting, interpolation=cv2.INTER_AREA), np.float32)
    return _Part(light=small, part_from_picture=scale_of(size, fitting))


@dataclass(frozen=True, kw_only=True, eq=False)
class _Part:
    """Light of a picture, or of it made smaller, and the map to its pixels."""

    light: Light
    part_from_picture: Matrix

    @cached_property
    def lit(self) -> compiled.LitPart:
        (across, _, right), (_, down, below) = self.part_from_picture[:2].tolist()
        return compiled.LitPart(light=np.ascontiguousarray(self.light), onto=(across, right, down, below))

    def laid(self, look: Look, outside: list[float], matrix: Matrix) -> Light:
        """Resampled by a straight map."""
        matrix = self.part_from_picture @ matrix
        flags = cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP
        made = cv2.warpPerspective(
            self.light, matrix, look.size, flags=flags, borderMode=look.border, borderValue=outside
        )
        return np.asarray(made, np.float32)

    def at(self, places: Places, look: Look, outside: list[float]) -> Light:
        """What is at places of the picture."""
        (across, _, right), (_, down, below) = self.part_from_picture[:2]
        x, y = places[0] * np.float32(across) + np.float32(right), places[1] * np.float32(down) + np.float32(below)
        made = cv2.remap(self.light, x, y, cv2.INTER_LINEAR, borderMode=look.border, borderValue=outside)
        return np.asarray(made, np.float32)


def _made(
    shuttered: Shuttered,
    moments: Sequence[tuple[Sample, Moment | None]],
    part: "Callable[[int], _Part]",
    box: tuple[int, int, int, int],
) -> Plane:
    """Packed code values of a part of the output, each moment made from the two frames beside it."""
    left, top, right, bottom = box
    own, outside = shuttered.picture(shuttered.layer.frame), shuttered.outside
    total = np.zeros((bottom - top, right - left, 3), np.float32)
    for each, at in moments:
        look = shuttered.look(each)
        look = replace(look, matrix=look.matrix @ translation(left, top), size=(right - left, bottom - top))
        border = KERNEL_BORDERS.get(look.border)
        if at is not None and each.between is not None and border is not None and compiled.library is not None:
            compiled.add_moment(
                total,
                each.weight,
                (look.matrix, shuttered.second_from_first(each)),
                shuttered.picture(each.frame).size,
                at.field,
                (part(each.frame).lit, part(each.between.frame).lit),
                border,
                outside,
            )
            continue
        laid = _moment(shuttered, each, at, look, part, outside)
        cv2.scaleAdd(laid, each.weight, total, dst=total)
    return yuv_of_light(total, own.colour, deep=own.deep)


def _moment(
    shuttered: Shuttered,
    sample: Sample,
    at: Moment | None,
    look: Look,
    part: Callable[[int], _Part],
    outside: list[float],
) -> Light:
    """The light of a part of the output at one moment."""
    if sample.between is None:
        return part(sample.frame).laid(look, outside, look.matrix)
    onto_second = shuttered.second_from_first(sample)
    if at is None:  # nothing leads from one to the other
        if sample.between.share > _HALF:
            return part(sample.between.frame).laid(look, outside, onto_second @ look.matrix)
        return part(sample.frame).laid(look, outside, look.matrix)
    frames = sample.frame, sample.between.frame
    pictures = shuttered.picture(frames[0]), shuttered.picture(frames[1])
    *places, of_second = places_between(pictures, look, at, onto_second)
    first, second = (part(frame).at(each, look, outside) for frame, each in zip(frames, places, strict=True))
    of_second = np.ascontiguousarray(of_second, np.float32)
    return np.asarray(cv2.blendLinear(first, second, 1 - of_second, of_second), np.float32)
