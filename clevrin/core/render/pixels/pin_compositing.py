"""What is pinned laid into the picture of a layer: as light, with the shutter's blur, light wrap and grain."""

from collections.abc import Callable
from dataclasses import dataclass, replace

import cv2
import numpy as np
from numpy.typing import NDArray

from clevrin.core.elements.grain import Grain, grain_of, grain_tile
from clevrin.core.elements.raster import WHOLE, Raster
from clevrin.core.join.balancing import EVEN
from clevrin.core.matte import Matte
from clevrin.core.media.colouring import light_of, picture_of_light
from clevrin.core.media.picture import Picture, Plane
from clevrin.core.motion.geometry.models import apply
from clevrin.core.render.measured.carried import OWN_SQUARE
from clevrin.core.render.pixels.resampling import Look, bent_map
from clevrin.core.render.pixels.seams import Weights
from clevrin.core.render.plan import Layer, Pin, Quality

Matrix = NDArray[np.float64]
Light4 = NDArray[np.float32]

_FEW = 5
"""Up to so many moments an element is laid twice as fine, and averaged; more of them blur it more than that would."""
_MARGIN_PX = 8
_WRAP_SHARE = 0.006
"""How far light comes over an edge, in picture widths."""


@dataclass(frozen=True, kw_only=True, eq=False)
class Scene:
    """The layer's picture that elements are laid into, and what it was made from.

    `source`: the picture of its own frame; `look`: how that was laid. `seen` (h, w): where there is any of it.
    `cover`: how a matte covers the output.
    """

    layer: Layer
    source: Picture
    look: Look
    seen: Weights | None
    cover: Callable[[Matte], Weights]


@dataclass(frozen=True)
class _Part:
    """The part of an output that an element touches, in even pixels."""

    left: int
    top: int
    right: int
    bottom: int

    @property
    def size(self) -> tuple[int, int]:
        return self.right - self.left, self.bottom - self.top

    def of(self, whole: NDArray[np.float32]) -> NDArray[np.float32]:
        return whole[self.top : self.bottom, self.left : self.right]


def laid_in(
    picture: Picture, pins: tuple[Pin, ...], scene: Scene, draw: Callable[[Pin], Raster], quality: Quality
) -> Picture:
    """A picture with what is pinned in it, the first one behind the others. What they do not touch stays as it is.

    Costs some 50 ms for an element of 600x200 pixels, and 2 ms more for each moment of an open shutter beyond five.
    """
    grain = grain_of(scene.source) if any(pin.grain > 0 for pin in pins) else None
    for pin in pins:
        part = _part_of(pin, picture.size)
        if part is not None:
            picture = _with(picture, pin, part, scene, draw(pin), quality, grain)
    return picture


def _with(
    picture: Picture, pin: Pin, part: _Part, scene: Scene, raster: Raster, quality: Quality, grain: Grain | None
) -> Picture:
    laid = _laid(pin, part, scene, raster, quality) * np.float32(pin.seen)
    keep = np.ones(laid.shape[:2], np.float32)
    if scene.seen is not None:
        keep = keep * part.of(scene.seen)
    for matte in pin.behind:
        keep = keep * (1 - part.of(scene.cover(matte)))
    laid *= keep[..., None]
    if scene.layer.gains != EVEN:
        laid[..., :3] *= np.array(scene.layer.gains, np.float32)
    under = _cut(picture, part)
    light = light_of(under)
    there = laid[..., 3:]
    own = laid[..., :3]
    if pin.wrap > 0:
        own = _wrapped(own, there, light, pin.wrap, picture.size[0])
    deep = picture.deep
    before = picture_of_light(light, picture.colour, deep=deep)
    after = picture_of_light(light * (1 - there) + own, picture.colour, deep=deep)
    planes = []
    for number, (whole, old, new) in enumerate(zip(picture.planes, before.planes, after.planes, strict=True)):
        by = 2 if number else 1
        change = new.astype(np.float32) - old
        if grain is not None:
            share = (
                there[..., 0]
                if by == 1
                else cv2.resize(there[..., 0], change.shape[::-1], interpolation=cv2.INTER_AREA)
            )
            change += _grain(grain, pin, part, scene, number) * share * np.float32(256 if deep else 1)
        planes.append(_added(whole, change, part.left // by, part.top // by))
    return replace(picture, y=planes[0], u=planes[1], v=planes[2])


def _laid(pin: Pin, part: _Part, scene: Scene, raster: Raster, quality: Quality) -> Light4:
    """Multiplied light (h, w, 4) of an element over a part of the output, as the shutter sees it."""
    fine = 2 if quality == "final" and len(pin.samples) <= _FEW else 1
    image = raster.for_width(_width(pin) * fine)
    to_px = np.array([[image.shape[1], 0, -0.5], [0, image.shape[0], -0.5], [0, 0, 1]])
    size = part.size[0] * fine, part.size[1] * fine
    out_of_part = np.array(
        [[1 / fine, 0, part.left + 0.5 / fine - 0.5], [0, 1 / fine, part.top + 0.5 / fine - 0.5], [0, 0, 1]]
    )
    bent = _bent(scene, size, out_of_part)
    whole = np.zeros((size[1], size[0], 4), np.float32)
    for sample in pin.samples:
        own = to_px @ sample.matrix
        if bent is None:
            flags = cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP
            moment = cv2.warpPerspective(image, own @ out_of_part, size, flags=flags, borderMode=cv2.BORDER_CONSTANT)
        else:
            at = apply(own, bent.reshape(-1, 2)).reshape(bent.shape).astype(np.float32)
            moment = cv2.remap(image, at[..., 0], at[..., 1], cv2.INTER_LINEAR, borderMode=cv2.BORDER_CONSTANT)
        whole += moment.astype(np.float32) * np.float32(sample.weight / WHOLE)
    return whole if fine == 1 else cv2.resize(whole, part.size, interpolation=cv2.INTER_AREA)


def _bent(scene: Scene, size: tuple[int, int], out_of_part: Matrix) -> Matrix | None:
    """(h, w, 2): where each pixel of a part would be in the output if its layer were not bent; None where it is not."""
    if scene.look.bend is None:
        return None
    matrix = scene.look.matrix
    source = scene.source.size
    across, down = bent_map(matrix @ out_of_part, scene.look.bend, source, size)
    places = np.stack([across, down], axis=-1).astype(np.float64)
    return np.asarray(apply(np.asarray(np.linalg.inv(matrix)), places.reshape(-1, 2)).reshape(places.shape))


def _width(pin: Pin) -> float:
    """How wide an element is seen at most, in output pixels."""
    top_left, top_right, bottom_right, bottom_left = _corners(pin.samples[len(pin.samples) // 2].matrix)
    return float(max(np.hypot(*(top_right - top_left)), np.hypot(*(bottom_right - bottom_left)), 1.0))


def _corners(own_from_out: Matrix) -> Matrix:
    return np.asarray(apply(np.asarray(np.linalg.inv(own_from_out)), OWN_SQUARE))


def _part_of(pin: Pin, size: tuple[int, int]) -> _Part | None:
    """What of an output an element touches in any of its moments, with a margin; None: nothing."""
    corners = np.concatenate([_corners(each.matrix) for each in pin.samples])
    if not np.isfinite(corners).all():
        return None
    (left, top), (right, bottom) = corners.min(axis=0) - _MARGIN_PX, corners.max(axis=0) + _MARGIN_PX
    part = _Part(
        left=int(max(0, left)) // 2 * 2,
        top=int(max(0, top)) // 2 * 2,
        right=int(min(size[0], -(-right // 2) * 2)),
        bottom=int(min(size[1], -(-bottom // 2) * 2)),
    )
    return part if part.right - part.left >= 2 and part.bottom - part.top >= 2 else None


def _wrapped(own: Light4, there: Light4, light: Light4, share: float, width: int) -> Light4:
    """Light about an element comes over its edge, as far as it is not there itself."""
    reach = max(1.0, _WRAP_SHARE * width)
    by = max(1, int(reach / 2))  # what is so soft is made coarsely
    high, wide = there.shape[:2]
    small = max(1, wide // by), max(1, high // by)
    coarse = cv2.resize(np.dstack([light, 1 - there]), small, interpolation=cv2.INTER_AREA)
    soft = cv2.resize(cv2.GaussianBlur(coarse, (0, 0), reach / by), (wide, high), interpolation=cv2.INTER_LINEAR)
    about = soft[..., 3:] * np.float32(share)
    return np.asarray(own + (soft[..., :3] * there - own) * about)


def _grain(grain: Grain, pin: Pin, part: _Part, scene: Scene, number: int) -> NDArray[np.float32]:
    """A take's grain over a part of the output, laid as the take is, in code values of 8 bit."""
    strength = (grain.chroma if number else grain.luma) * pin.grain
    by = 2 if number else 1
    columns, rows = (-(-side // by) for side in part.size)
    if strength <= 0:
        return np.zeros((rows, columns), np.float32)
    tile = grain_tile(grain, scene.layer.frame, number)
    out = np.array([[by, 0, part.left + (by - 1) / 2], [0, by, part.top + (by - 1) / 2], [0, 0, 1]])
    source = np.array([[1 / by, 0, 0], [0, 1 / by, 0], [0, 0, 1]]) @ scene.look.matrix @ out
    flags = cv2.INTER_CUBIC | cv2.WARP_INVERSE_MAP
    laid = cv2.warpPerspective(tile, source, (columns, rows), flags=flags, borderMode=cv2.BORDER_WRAP)
    return np.asarray(laid * np.float32(strength))


def _cut(picture: Picture, part: _Part) -> Picture:
    rows, columns = slice(part.top, part.bottom), slice(part.left, part.right)
    halves = slice(part.top // 2, -(-part.bottom // 2)), slice(part.left // 2, -(-part.right // 2))
    return replace(picture, y=picture.y[rows, columns], u=picture.u[halves], v=picture.v[halves], alpha=None)


def _added(plane: Plane, change: NDArray[np.float32], left: int, top: int) -> Plane:
    """A plane with a change of a part of it."""
    made = plane.copy()
    height, width = change.shape
    area = made[top : top + height, left : left + width]
    most = 65535 if plane.dtype == np.uint16 else 255
    area[...] = np.clip(np.rint(area.astype(np.float32) + change), 0, most).astype(plane.dtype)
    return made
