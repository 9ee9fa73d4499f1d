"""Colours of one kind as those of another: matrices, ranges, primaries, and the curves from code to light.

How colour goes through Clevrin, and why, is in docs/decisions. Light is linear, as shown: 1 is the white of a
picture of standard range, which in the high ranges is set to 203 cd/m2 (ITU-R BT.2408). Curves: IEC 61966-2-1, and
ITU-R BT.2100 (HLG with the gamma of a screen of 1000 cd/m2, and PQ).
"""

from collections.abc import Callable
from dataclasses import replace
from functools import cache

import cv2
import numpy as np
from numpy.typing import NDArray

from clevrin.core.document.colour import BT709, Colour, Primaries, Transfer
from clevrin.core.kernels import compiled
from clevrin.core.media.picture import Picture, Plane, empty_picture, picture_from_yuv, rgb_from_yuv, yuv_of

Light = NDArray[np.float32]
"""(h, w, 3) linear red, green, blue."""

_WHITE_NITS = 203.0
_HLG_PEAK_NITS, _HLG_GAMMA = 1000.0, 1.2
_PQ_PEAK_NITS = 10_000.0
_A, _B, _C = 0.17883277, 0.28466892, 0.55991073  # HLG
_M1, _M2, _C1, _C2, _C3 = 2610 / 16384, 2523 / 4096 * 128, 3424 / 4096, 2413 / 4096 * 32, 2392 / 4096 * 32  # PQ
_KNEE = 0.7
"""From this share of white on, brighter light is bent so that the brightest just fits."""
_STEPS = 65536

_PEAKS: dict[Transfer, float] = {"sdr": 1.0, "hlg": _HLG_PEAK_NITS / _WHITE_NITS, "pq": _PQ_PEAK_NITS / _WHITE_NITS}
_MASTERED = 1000.0 / _WHITE_NITS
"""The brightest light that a bend makes room for: what is graded brighter is clipped."""
_PLACES = {
    "bt709": ((0.64, 0.33), (0.30, 0.60), (0.15, 0.06)),
    "p3": ((0.68, 0.32), (0.265, 0.69), (0.15, 0.06)),
    "bt2020": ((0.708, 0.292), (0.170, 0.797), (0.131, 0.046)),
}
_D65 = (0.3127, 0.3290)


def converted(picture: Picture, colour: Colour) -> Picture:
    """A picture in other colours, those of a `Colour.home`; the same one where they are its own.

    From a high range to the standard one light over white is bent into what there is of it, hue for hue; the other
    way white stays at 203 cd/m2. Costs some 150 ms for 1280x720.
    """
    if picture.colour == colour:
        return picture
    light = light_of(picture)
    light = cv2.transform(light, _between(picture.colour.primaries, colour.primaries).astype(np.float32))
    if picture.colour.hdr and not colour.hdr:
        light = _bent(light, min(_PEAKS[picture.colour.transfer], _MASTERED))
    return replace(picture_of_light(light, colour, deep=picture.deep), alpha=picture.alpha)


def shown(picture: Picture) -> Picture:
    """A picture as a screen of the standard range shows it."""
    return converted(picture, BT709)


def light_of(picture: Picture) -> Light:
    """Linear light, of the picture's own primaries. Costs 5 ns a pixel with compiled kernels."""
    if compiled.library is None:
        return light_of_yuv(yuv_of(picture), picture.colour)
    affine, table = _to_light(picture.colour, deep=picture.deep)
    light = compiled.light_of_planes(picture.planes, picture.siting, affine, table)
    return _scene_to_screen(light, 1.0) if picture.colour.transfer == "hlg" else light


def add_light(total: Light, picture: Picture, weight: float) -> None:
    """Adds the light of a picture, times a weight, to other light of its colours. Costs 6 ns a pixel."""
    if compiled.library is None or picture.colour.transfer == "hlg" or weight == 0:
        cv2.scaleAdd(light_of(picture), weight, total, dst=total)
        return
    affine, table = _to_light(picture.colour, deep=picture.deep)
    compiled.light_of_planes(picture.planes, picture.siting, affine, table, total, weight)


def light_of_yuv(packed: Plane, colour: Colour) -> Light:
    """Linear light of packed code values (h, w, 3) of 8 or 16 bits."""
    light = _light_of_codes(packed, *_to_light(colour, deep=packed.dtype == np.uint16))
    return _scene_to_screen(light, 1.0) if colour.transfer == "hlg" else light


@cache
def _to_light(colour: Colour, *, deep: bool) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """What takes code values to places of a table (3, 4), and the table of light."""
    by = 256.0 if deep else 1.0
    decode = rgb_from_yuv(colour.matrix) @ np.diag(1 / np.array([219, 224, 224]) / by)
    affine = np.column_stack([decode, -decode @ (np.array([16, 128, 128]) * by)]) * (_STEPS - 1)
    return affine.astype(np.float32), _decoding(colour.transfer)


def light_of_rgb(rgb: Plane, colour: Colour) -> Light:
    """Linear light of packed colours (h, w, 3) as screens of the standard range show them, in a colour's primaries."""
    coded = rgb.astype(np.float32) * np.float32((_STEPS - 1) / (65535 if rgb.dtype == np.uint16 else 255))
    return cv2.transform(_by_table(coded, _decoding("sdr")), _between("bt709", colour.primaries).astype(np.float32))


def picture_of_light(light: Light, colour: Colour, *, deep: bool) -> Picture:
    """The picture of linear light of the colour's primaries. Costs 7 ns a pixel with compiled kernels."""
    if compiled.library is None:
        return picture_from_yuv(yuv_of_light(light, colour, deep=deep), colour)
    made = empty_picture((light.shape[1], light.shape[0]), colour, deep=deep)
    put_light(light, made, 0)
    return made


def put_light(light: Light, picture: Picture, top: int) -> None:
    """Writes linear light over rows of a picture, from an even one on; other rows than its last ones are even as well.

    Needs compiled kernels.
    """
    colour, rows = picture.colour, slice(top, top + len(light))
    halves = slice(top // 2, top // 2 + (len(light) + 1) // 2)
    if colour.transfer == "hlg":
        light = _scene_to_screen(light, -1.0)
    scale, table, affine = _to_codes(colour, deep=picture.deep)
    planes = picture.y[rows], picture.u[halves], picture.v[halves]
    compiled.planes_of_light(light, scale, table, affine, planes)


def yuv_of_light(light: Light, colour: Colour, *, deep: bool) -> Plane:
    """Packed code values (h, w, 3) of linear light of the colour's primaries."""
    if colour.transfer == "hlg":
        light = _scene_to_screen(light, -1.0)
    return _codes_of_light(light, *_to_codes(colour, deep=deep), deep=deep)


@cache
def _to_codes(colour: Colour, *, deep: bool) -> tuple[float, NDArray[np.float32], NDArray[np.float32]]:
    """What takes the fourth root of light to places of a table, the table, and from it to code values (3, 4)."""
    by = 256.0 if deep else 1.0
    encode = np.diag(np.array([219, 224, 224]) * by) @ np.linalg.inv(rgb_from_yuv(colour.matrix))
    affine = np.column_stack([encode, np.array([16, 128, 128]) * by]).astype(np.float32)
    return float((_STEPS - 1) * _PEAKS[colour.transfer] ** -0.25), _encoding(colour.transfer), affine


def _light_of_codes(codes: Plane, affine: NDArray[np.float32], table: NDArray[np.float32]) -> Light:
    """Values of a table at the places to which `affine` (3, 4) takes codes."""
    if compiled.library is not None:
        return compiled.light_of_codes(codes, affine, table)
    return _by_table(cv2.transform(codes.astype(np.float32), affine), table)


def _codes_of_light(
    light: Light, scale: float, table: NDArray[np.float32], affine: NDArray[np.float32], *, deep: bool
) -> Plane:
    """The same back, by a table over the fourth root of light, for curves are steep near black."""
    if compiled.library is not None:
        return compiled.codes_of_light(light, scale, table, affine, deep=deep)
    root = cv2.sqrt(cv2.sqrt(np.maximum(light, np.float32(0))))
    root *= np.float32(scale)
    packed = cv2.transform(_by_table(root, table), affine)
    return cv2.subtract(packed, 0, dtype=cv2.CV_16U if deep else cv2.CV_8U)  # rounded, and what is beyond is cut off


def _bent(light: Light, peak: float) -> Light:
    """Light up to a peak brought under 1: straight to the knee, then ever flatter (after Reinhard et al. 2002)."""
    most = light.max(axis=2)
    over = np.maximum(most - _KNEE, 0) / (1 - _KNEE)
    top = (peak - _KNEE) / (1 - _KNEE)
    bent = np.minimum(over * (1 + over / top**2) / (1 + over), 1) * (1 - _KNEE) + _KNEE
    share = np.where(most > _KNEE, bent / np.maximum(most, _KNEE), 1).astype(np.float32)
    return light * share[..., None]


def _scene_to_screen(light: Light, way: float) -> Light:
    """HLG's gamma of the screen on luminance: 1 from the scene to the screen, -1 back. Light in shares of white."""
    peak = np.float32(_PEAKS["hlg"])
    luma = cv2.transform(light / peak, _xyz_from_rgb("bt2020")[1:2].astype(np.float32)).reshape(light.shape[:2])
    power = _HLG_GAMMA - 1 if way > 0 else 1 / _HLG_GAMMA - 1
    gain = np.maximum(luma, 1e-6) ** np.float32(power)
    return (light * gain[..., None]).astype(np.float32)


def _by_table(places: NDArray[np.float32], table: NDArray[np.float32]) -> NDArray[np.float32]:
    """Values of a table of `_STEPS` at the nearest places; those beyond have its ends."""
    whole = cv2.subtract(places, 0, dtype=cv2.CV_16U)
    # Into an array of its own and with no check: half of the time that it takes otherwise.
    return np.take(table, whole, out=np.empty(whole.shape, np.float32), mode="clip")


@cache
def _decoding(transfer: Transfer) -> NDArray[np.float32]:
    """Light by code values from 0 to 1; for HLG light of the scene, in shares of white as if of the screen."""
    return (_PEAKS[transfer] * _TO_LIGHT[transfer](np.linspace(0, 1, _STEPS))).astype(np.float32)


@cache
def _encoding(transfer: Transfer) -> NDArray[np.float32]:
    """Code values by the fourth root of light as a share of the peak."""
    return _TO_CODE[transfer](np.linspace(0, 1, _STEPS) ** 4).astype(np.float32)


def _sdr_light(code: NDArray[np.float64]) -> NDArray[np.float64]:
    return np.where(code <= 0.04045, code / 12.92, ((code + 0.055) / 1.055) ** 2.4)


def _sdr_code(light: NDArray[np.float64]) -> NDArray[np.float64]:
    return np.where(light <= 0.0031308, 12.92 * light, 1.055 * light ** (1 / 2.4) - 0.055)


def _hlg_light(code: NDArray[np.float64]) -> NDArray[np.float64]:
    return np.where(code <= 0.5, code**2 / 3, (np.exp((code - _C) / _A) + _B) / 12)


def _hlg_code(light: NDArray[np.float64]) -> NDArray[np.float64]:
    return np.where(light <= 1 / 12, np.sqrt(3 * light), _A * np.log(np.maximum(12 * light - _B, 1e-9)) + _C)


def _pq_light(code: NDArray[np.float64]) -> NDArray[np.float64]:
    root = code ** (1 / _M2)
    return (np.maximum(root - _C1, 0) / (_C2 - _C3 * root)) ** (1 / _M1)


def _pq_code(light: NDArray[np.float64]) -> NDArray[np.float64]:
    root = light**_M1
    return ((_C1 + _C2 * root) / (1 + _C3 * root)) ** _M2


_Curve = Callable[[NDArray[np.float64]], NDArray[np.float64]]
_TO_LIGHT: dict[Transfer, _Curve] = {"sdr": _sdr_light, "hlg": _hlg_light, "pq": _pq_light}
_TO_CODE: dict[Transfer, _Curve] = {"sdr": _sdr_code, "hlg": _hlg_code, "pq": _pq_code}


@cache
def _xyz_from_rgb(primaries: Primaries) -> NDArray[np.float64]:
    """3x3: CIE XYZ of linear light, white (D65) at Y = 1."""
    columns = np.array([[x / y, 1, (1 - x - y) / y] for x, y in _PLACES[primaries]]).T
    x, y = _D65
    white = np.array([x / y, 1, (1 - x - y) / y])
    scaled: NDArray[np.float64] = columns * np.linalg.solve(columns, white)
    return scaled


def _between(before: Primaries, after: Primaries) -> NDArray[np.float64]:
    return np.asarray(np.linalg.solve(_xyz_from_rgb(after), _xyz_from_rgb(before)))
