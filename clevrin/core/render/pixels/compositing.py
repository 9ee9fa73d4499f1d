"""Pictures on each other: as light, and as coded values where they are of the same things."""

from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import dataclass, replace

import cv2
import numpy as np

from clevrin.core.document.colour import BT709
from clevrin.core.kernels import compiled
from clevrin.core.media.colouring import (
    Light,
    add_light,
    light_of,
    light_of_yuv,
    picture_of_light,
    put_light,
    yuv_of_light,
)
from clevrin.core.media.picture import Picture, Plane, empty_picture, picture_from_yuv, shrunk, yuv_of
from clevrin.core.motion.geometry.models import apply, scale_of, translation
from clevrin.core.render.pixels.resampling import KERNEL_BORDERS, SHRINKS, Look, shrinks
from clevrin.core.render.pixels.seams import Weights, blended_planes
from clevrin.core.render.plan import HalfPlane, Spared

_ROWS_AT_ONCE = 64
_BAND_ROWS = 270
_FEW = 2
"""From more ways on they blur each other: what a finer kernel would keep is not seen."""
_SMEARED_PX = 10
"""A smear as long as so many pixels, times two or four, is made as much coarser along it: 45 dB and more remain."""
_REACHES_PX, _MUCH_LARGER = 12, 8.0
"""From so many pixels beyond an edge on, and up to so many times the area, what lies there is laid out beforehand."""
_MUCH_SMALLER = 4.0
"""From this reduction on, what averaging codes and not light changes is not seen either."""


def mixed(pictures: Iterable[Picture], weights: Sequence[float | Weights]) -> Picture:
    """Pictures of one kind of colours as light on each other; what is clear has no say in it.

    A weight is the same everywhere, or of each pixel (h, w). They are taken one after the other, so that no more than
    one of them is there at a time.
    """
    total: Weights | None = None
    whole: Weights | None = None
    everywhere, colour, deep, clear = 0.0, BT709, False, False
    for picture, weight in zip(pictures, weights, strict=True):
        colour, deep, clear = picture.colour, deep or picture.deep, clear or picture.alpha is not None
        if total is None:
            total = np.zeros((*picture.y.shape, 3), np.float32)
        if picture.alpha is None and isinstance(weight, float):
            add_light(total, picture, weight)
            everywhere += weight
            continue
        share = _share(picture, weight)
        packed = yuv_of(picture)
        for top in range(0, len(share), _ROWS_AT_ONCE):  # light takes four bytes where code takes one
            rows = slice(top, top + _ROWS_AT_ONCE)
            total[rows] += light_of_yuv(packed[rows], colour) * share[rows][..., None]
        whole = share.copy() if whole is None else whole + share
    assert total is not None, "something is mixed"
    if whole is None:
        total *= np.float32(1 / max(everywhere, 1e-6))
        return picture_of_light(total, colour, deep=deep)
    whole += np.float32(everywhere)
    on_each_other = np.empty(total.shape, np.uint16 if deep else np.uint8)
    for top in range(0, len(whole), _ROWS_AT_ONCE):
        rows = slice(top, top + _ROWS_AT_ONCE)
        light = np.asarray(total[rows] / np.maximum(whole[rows], np.float32(1e-6))[..., None], np.float32)
        on_each_other[rows] = yuv_of_light(light, colour, deep=deep)
    made = picture_from_yuv(on_each_other, colour)
    if not clear:
        return made
    alpha = np.minimum(whole, 1) * (65535 if deep else 255) + np.float32(0.5)
    return replace(made, alpha=alpha.astype(on_each_other.dtype))


def smeared(source: Picture, looks: Sequence[Look], weights: Sequence[float]) -> Picture:
    """One picture laid in several ways at once, as light: what an open shutter sees of it while it moves.

    It is light once, and is resampled as such: each way costs some 5 ms for 1920x1080 on one core, and all together
    35 ms more; a third of both where it moves far along a side of the output. Its bands of lines are made one after
    the other, so that little of it is there as light twice.
    """
    smear = _Smear.of(source, looks, weights)
    if compiled.library is None or smear.by != (1, 1):
        return picture_from_yuv(smear.codes(source), source.colour)
    made = empty_picture(looks[0].size, source.colour, deep=source.deep)
    for top, light in smear.bands():
        put_light(light, made, top)
    return made


def smeared_codes(
    source: Picture, looks: Sequence[Look], weights: Sequence[float], lit: Callable[[], Light] | None = None
) -> Plane:
    """The same as packed code values (h, w, 3). `lit`: gives the source's light, where others need it as well."""
    return _Smear.of(source, looks, weights, lit).codes(source)


@dataclass(frozen=True, kw_only=True, eq=False)
class _Smear:
    """Light, and how it is laid on an output that is `by` so much coarser, across and down."""

    light: Light
    looks: Sequence[Look]
    weights: Sequence[float]
    size: tuple[int, int]
    by: tuple[int, int]
    outside: Sequence[float]

    @staticmethod
    def of(
        source: Picture, looks: Sequence[Look], weights: Sequence[float], lit: Callable[[], Light] | None = None
    ) -> "_Smear":
        size, first, whole = looks[0].size, looks[0], source.size
        smaller = shrinks(first.matrix)
        if (
            smaller >= _MUCH_SMALLER
        ):  # a small picture of it: half of that is done before it is light, which takes longest
            source = shrunk(source, (_even(2 * whole[0] / smaller), _even(2 * whole[1] / smaller)))
        by = _coarser(looks)
        if max(by) > 1:  # half of it alike: what averages codes and not light is smeared
            across, down = (_even(side / 2 if k > 1 else side) for side, k in zip(source.size, by, strict=True))
            source = shrunk(source, (across, down))
        light = light_of(source) if lit is None or source.size != whole else lit()
        if smaller > SHRINKS:  # what is much larger than it is shown would flicker
            light = _averaged(light, (round(whole[0] / smaller), round(whole[1] / smaller)))
        if max(by) > 2:
            looks, weights = _every_second(looks, weights)
            across, down = (max(1, k // 2) for k in by)
            light = _averaged(light, (round(light.shape[1] / across), round(light.shape[0] / down)))
        scale = scale_of(whole, (light.shape[1], light.shape[0]))
        coarse = -(-size[0] // by[0]), -(-size[1] // by[1])
        fine_of_coarse = scale_of(coarse, (coarse[0] * by[0], coarse[1] * by[1]))
        kernel = first.kernel if len(looks) <= _FEW else cv2.INTER_LINEAR
        looks = [
            replace(look, matrix=scale @ look.matrix @ fine_of_coarse, size=coarse, kernel=kernel) for look in looks
        ]
        outside = light_of_yuv(np.array([[first.colour]], source.y.dtype), source.colour)[0, 0].tolist()
        light, looks = _reaching(light, looks, outside)
        return _Smear(light=light, looks=looks, weights=weights, size=size, by=by, outside=outside)

    def bands(self) -> Iterator[tuple[int, Light]]:
        """Bands of lines of the coarser output, and at which line each begins, an even one."""
        width, height = self.looks[0].size
        band = height if self.by[1] > 1 else _BAND_ROWS  # between lines that are made apart others would be missing
        for top in range(0, height, band):
            shift, rows = translation(0, top), min(band, height - top)
            looks = [replace(look, matrix=look.matrix @ shift, size=(width, rows)) for look in self.looks]
            yield top, laid_light(self.light, looks, self.weights, self.outside)

    def codes(self, source: Picture) -> Plane:
        """The output as packed code values of the source's kind."""
        size, by = self.size, self.by
        made = np.empty((size[1], size[0], 3), source.y.dtype)
        for top, light in self.bands():
            codes = yuv_of_light(np.maximum(light, 0), source.colour, deep=source.deep)
            if by != (1, 1):
                fine = codes.shape[1] * by[0], codes.shape[0] * by[1]
                codes = cv2.resize(codes, fine, interpolation=cv2.INTER_LINEAR)[: size[1], : size[0]]
            made[top * by[1] : top * by[1] + len(codes)] = codes
        return made


def _averaged(light: Light, size: tuple[int, int]) -> Light:
    return cv2.resize(light, (max(2, size[0]), max(2, size[1])), interpolation=cv2.INTER_AREA)


def _reaching(light: Light, looks: Sequence[Look], outside: Sequence[float]) -> tuple[Light, Sequence[Look]]:
    """Light with so much of what lies beyond its edges that all looks find their pixels in it.

    What is not there takes ten times as long to look up as what is. Not where they reach hardly, or very far, beyond.
    """
    width, height = looks[0].size
    corners = np.array([[-1, -1], [width, -1], [width, height], [-1, height]], float)
    at = np.concatenate([apply(look.matrix, corners) for look in looks])
    size = np.array(light.shape[1::-1])
    before, after = np.ceil(np.maximum(-at.min(axis=0), 0) + 1), np.ceil(np.maximum(at.max(axis=0) - size, 0) + 2)
    reach, bent = max(before.max(), after.max()), any(look.bend is not None for look in looks)
    larger = np.prod((before + size + after) / size)
    if bent or not np.isfinite(larger) or reach < _REACHES_PX or larger > _MUCH_LARGER:
        return light, looks
    (left, top), (right, bottom) = before.astype(int).tolist(), after.astype(int).tolist()
    wider = cv2.copyMakeBorder(light, top, bottom, left, right, looks[0].border, value=[*outside, 0.0])
    shift = translation(left, top)
    return np.asarray(wider, np.float32), [replace(look, matrix=shift @ look.matrix) for look in looks]


def laid_light(
    light: Light, looks: Sequence[Look], weights: Sequence[float], outside: Sequence[float], onto: Light | None = None
) -> Light:
    """Light laid in several ways, each times its weight, and added, also to other light (which is written over)."""
    first = looks[0]
    border = KERNEL_BORDERS.get(first.border)
    if compiled.library is not None and border is not None and first.kernel == cv2.INTER_LINEAR:
        maps = [look.matrix for look in looks]
        return compiled.smear(np.ascontiguousarray(light), maps, weights, first.size, border, outside, onto)
    total = np.zeros((first.size[1], first.size[0], 3), np.float32) if onto is None else onto
    for look, weight in zip(looks, weights, strict=True):
        flags = look.kernel | cv2.WARP_INVERSE_MAP
        laid = cv2.warpPerspective(
            light, look.matrix, look.size, flags=flags, borderMode=look.border, borderValue=outside
        )
        cv2.scaleAdd(laid, weight, total, dst=total)
    return total


def _every_second(looks: Sequence[Look], weights: Sequence[float]) -> tuple[Sequence[Look], Sequence[float]]:
    """Half as many ways, each with half of what its neighbours count: as good where pixels are coarse."""
    if len(looks) % 2 == 0:
        return looks, weights
    between = [0.0, *weights[1::2], 0.0]
    return looks[::2], [own + (a + b) / 2 for own, a, b in zip(weights[::2], between, between[1:], strict=False)]


def _coarser(looks: Sequence[Look]) -> tuple[int, int]:
    """By how much coarser, across and down, a smear can be made: along it there is nothing fine.

    It has to go as far everywhere, and hardly aside: what stays sharp across it would be lost with its slope.
    """
    if any(look.bend is not None for look in looks):
        return 1, 1
    width, height = looks[0].size
    corners = np.array([[0, 0, 1], [width, 0, 1], [width, height, 1], [0, height, 1], [width / 2, height / 2, 1]])
    at = [corners @ (np.linalg.inv(looks[0].matrix) @ look.matrix).T for look in (looks[0], looks[-1])]
    way = np.abs(at[1][:, :2] / at[1][:, 2:] - at[0][:, :2] / at[0][:, 2:])
    for k in (4, 2):
        for along in (0, 1):
            if (way[:, along] >= _SMEARED_PX * k).all() and (way[:, 1 - along] * 4 * k <= way[:, along]).all():
                return (k, 1) if along == 0 else (1, k)
    return 1, 1


def _even(side: float) -> int:
    return max(2, 2 * round(side / 2))


def _share(picture: Picture, weight: float | Weights) -> Weights:
    """How much of each pixel counts."""
    of_each = np.broadcast_to(np.float32(weight), picture.y.shape)
    if picture.alpha is None:
        return np.asarray(of_each)
    return np.asarray(picture.alpha.astype(np.float32) * (of_each / np.float32(65535 if picture.deep else 255)))


def blended(over: Picture, under: Picture, share: Weights) -> Picture:
    """Two pictures of the same things, by how much of the first one is there, (h, w) 0 to 1."""
    height, width = over.u.shape
    half = cv2.resize(share, (width, height), interpolation=cv2.INTER_AREA)
    planes = zip(over.planes, under.planes, (share, half, half), strict=True)
    y, u, v = (blended_planes(*each) for each in planes)
    return replace(under, y=y, u=u, v=v)


def beyond(edge: HalfPlane, size: tuple[int, int]) -> Weights:
    """1 beyond a straight edge, 0 before it: (h, w)."""
    y, x = np.mgrid[: size[1], : size[0]].astype(np.float32)
    along = np.float32(edge.across) * x + np.float32(edge.down) * y - np.float32(edge.at)
    return np.clip(along / np.float32(max(edge.soft, 1e-3)) + np.float32(0.5), 0, 1).astype(np.float32)


def disc(spared: Spared, size: tuple[int, int]) -> Weights:
    """1 within a soft disc, 0 outside of it: (h, w)."""
    y, x = np.mgrid[: size[1], : size[0]].astype(np.float32)
    distance = np.hypot(x - np.float32(spared.x), y - np.float32(spared.y))
    return np.clip((spared.radius + spared.feather - distance) / max(1.0, spared.feather), 0, 1).astype(np.float32)
