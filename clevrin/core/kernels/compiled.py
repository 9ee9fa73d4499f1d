"""The library of compiled kernels, called with arrays of NumPy.

It is built when Clevrin is installed, where there is a C compiler. Calls let other threads go on.
"""

import ctypes
import logging
from collections.abc import Sequence
from dataclasses import dataclass
from importlib.machinery import EXTENSION_SUFFIXES
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

log = logging.getLogger(__name__)

Floats = NDArray[np.float32]
Numbers = NDArray[np.float64]
Matrix = NDArray[np.float64]
Size = tuple[int, int]

_VERSION = 6
"""That of kernels.h."""
_NAME = "_kernels"
BORDERS = {"nearest": 0, "mirrored": 1, "colour": 2}

_f, _i = ctypes.c_float, ctypes.c_int
_SIGNATURES: dict[str, Sequence[Any]] = {}


def _array(dtype: Any, dimensions: int) -> Any:
    return np.ctypeslib.ndpointer(dtype, dimensions, flags="C_CONTIGUOUS")


_flat, _field, _deep_field = (_array(np.float32, k) for k in (1, 2, 3))
for _name, _code in (("bytes", np.uint8), ("words", np.uint16)):
    _SIGNATURES[f"light_of_{_name}"] = (_array(_code, 2), ctypes.c_int64, _field, _flat, _field)
    _SIGNATURES[f"{_name}_of_light"] = (_field, ctypes.c_int64, _f, _flat, _field, _array(_code, 2))
    _plane = _array(_code, 2)
    _name = _name.removesuffix("s")
    _SIGNATURES[f"light_of_{_name}_planes"] = (*(_plane,) * 3, _i, _i, _f, _f, _field, _flat, _f, _deep_field)
    _SIGNATURES[f"{_name}_planes_of_light"] = (_deep_field, _i, _i, _f, _flat, _field, _field, *(_plane,) * 3)
_SIGNATURES["moment_of_flow"] = (_deep_field, _deep_field, _field, _field, _i, _i, _f, _i, *(_f,) * 5, _deep_field)
_SIGNATURES["places_between"] = (_field, _field, _f, _f, _deep_field, *(_i,) * 4, *(_field,) * 5)
_PART = (_deep_field, _i, _i, _flat)
_SIGNATURES["add_moment"] = (
    *(_field, _field, _f, _f, _deep_field, _i, _i),
    *(*_PART, *_PART, _i, _flat, _f, _i, _i, _deep_field),
)
_SIGNATURES["smear"] = (_deep_field, _i, _i, _deep_field, _flat, _i, _i, _flat, _i, _i, _i, _deep_field)

_d, _p = ctypes.c_double, ctypes.c_void_p
# Called thousands of times a film for little each: arrays are checked by `_address`, which takes a tenth of the time.
_SIGNATURES["fit_turn"] = (_i, _i, *(_p,) * 4, _d, _i, _d, _p, _p, _d, _d, _d, *(_p,) * 6)


def _library() -> ctypes.CDLL | None:
    """The library, with what its functions take; None where it was not built, or from other sources."""
    for suffix in EXTENSION_SUFFIXES:
        path = Path(__file__).parent / f"{_NAME}{suffix}"
        if not path.is_file():
            continue
        try:
            found = ctypes.CDLL(str(path))
            if found.kernels_version() == _VERSION:
                for name, takes in _SIGNATURES.items():
                    function = getattr(found, name)
                    function.argtypes, function.restype = takes, None
                return found
        except (OSError, AttributeError) as error:
            log.warning("%s cannot be used: %s", path.name, error)
    log.warning(
        "The compiled kernels are not there: pictures are made several times as slowly. `make setup` builds them."
    )
    return None


library: ctypes.CDLL | None = _library()


def light_of_codes(codes: NDArray[Any], affine: Floats, table: Floats) -> Floats:
    """Light (h, w, 3) of coded values (h, w, 3) of 8 or 16 bits: `affine` (3, 4) takes them to places of a table.

    Costs 8 ns a pixel.
    """
    assert library is not None
    light = np.empty(codes.shape, np.float32)
    call = library.light_of_words if codes.dtype == np.uint16 else library.light_of_bytes
    rows = np.ascontiguousarray(codes).reshape(-1, 3)
    call(rows, len(rows), np.ascontiguousarray(affine, np.float32), table, light.reshape(-1, 3))
    return light


def codes_of_light(light: Floats, scale: float, table: Floats, affine: Floats, *, deep: bool) -> NDArray[Any]:
    """Coded values (h, w, 3) of light: a table over its fourth root times `scale`, and `affine` (3, 4) of what it says.

    Costs 12 ns a pixel.
    """
    assert library is not None
    codes = np.empty(light.shape, np.uint16 if deep else np.uint8)
    call = library.words_of_light if deep else library.bytes_of_light
    rows = np.ascontiguousarray(light, np.float32).reshape(-1, 3)
    call(rows, len(rows), scale, table, np.ascontiguousarray(affine, np.float32), codes.reshape(-1, 3))
    return codes


Planes = tuple[NDArray[Any], NDArray[Any], NDArray[Any]]


def light_of_planes(
    planes: Planes,
    siting: tuple[float, float],
    affine: Floats,
    table: Floats,
    onto: Floats | None = None,
    weight: float = 0.0,
) -> Floats:
    """Light (h, w, 3) of luma (h, w) and chroma half as large, whose samples stand where `siting` says; the rest as
    for packed codes. Given other light it is added to that, times `weight`. Costs 5 ns a pixel.
    """
    assert library is not None
    y, u, v = (np.ascontiguousarray(plane) for plane in planes)
    height, width = y.shape
    assert u.shape == v.shape == ((height + 1) // 2, (width + 1) // 2)
    light = np.empty((height, width, 3), np.float32) if onto is None else onto
    assert light.shape == (height, width, 3)
    call = library.light_of_word_planes if y.dtype == np.uint16 else library.light_of_byte_planes
    call(
        y,
        u,
        v,
        width,
        height,
        *siting,
        np.ascontiguousarray(affine, np.float32),
        table,
        0.0 if onto is None else weight,
        light,
    )
    return light


def planes_of_light(light: Floats, scale: float, table: Floats, affine: Floats, planes: Planes) -> None:
    """Writes light as the code values of planes (or of even rows of them), chroma half as large, its samples at the
    left of two columns and between two rows. Costs 7 ns a pixel.
    """
    assert library is not None
    y, u, v = planes
    height, width = y.shape
    assert light.shape == (height, width, 3) and u.shape == v.shape == ((height + 1) // 2, (width + 1) // 2)
    call = library.word_planes_of_light if y.dtype == np.uint16 else library.byte_planes_of_light
    scratch = np.empty((4, width), np.float32)
    light, affine = np.ascontiguousarray(light, np.float32), np.ascontiguousarray(affine, np.float32)
    call(light, width, height, scale, table, affine, scratch, y, u, v)


def moment_of_flow(
    flows: tuple[Floats, Floats], sures: tuple[Floats, Floats], share: float, *, looks: int, limits: tuple[float, ...]
) -> Floats:
    """(h, w, 5) of a moment between two frames, see `pace.in_between.moment`; `limits`: close, misses, unseen, least
    seen and trusted. Costs 60 ns a pixel.
    """
    assert library is not None
    height, width = sures[0].shape
    made = np.empty((height, width, 5), np.float32)
    ways = (np.ascontiguousarray(each, np.float32) for each in (*flows, *sures))
    library.moment_of_flow(*ways, width, height, share, looks, *limits, made)
    return made


def places_between(
    look: Matrix, onward: Matrix, frame: Size, field: Floats, size: Size
) -> tuple[Floats, Floats, Floats, Floats, Floats]:
    """Where each pixel of an output of a size comes from in the first frame and the second, x and y each, and the
    second one's share, see `frame_interpolation.places_between`. `frame`: size of both. Costs 15 ns a pixel.
    """
    assert library is not None
    made = tuple(np.empty(size[::-1], np.float32) for _ in range(5))
    library.places_between(*_laid(look, onward, frame, field), *size, *made)
    return made  # type: ignore[return-value]


@dataclass(frozen=True, kw_only=True, eq=False)
class LitPart:
    """Light (h, w, 3) of a part of a frame; `onto`: by what and with what added x, and y, of the frame become its."""

    light: Floats
    onto: tuple[float, float, float, float]

    @property
    def given(self) -> tuple[Floats, int, int, Floats]:
        height, width = self.light.shape[:2]
        return self.light, width, height, np.array(self.onto, np.float32)


def add_moment(
    total: Floats,
    weight: float,
    maps: tuple[Matrix, Matrix],
    frame: Size,
    field: Floats,
    parts: tuple[LitPart, LitPart],
    border: int,
    colour: Sequence[float],
) -> None:
    """Adds the light of a moment, times its weight, to that of an output (h, w, 3).

    `maps`: from its pixels to the first frame, and on to the second. Costs 45 ns a pixel.
    """
    assert library is not None
    height, width = total.shape[:2]
    outside = np.array(colour, np.float32)
    lit = (*parts[0].given, *parts[1].given)
    library.add_moment(*_laid(*maps, frame, field), *lit, border, outside, weight, width, height, total)


def smear(
    light: Floats,
    maps: Sequence[Matrix],
    weights: Sequence[float],
    size: Size,
    border: int,
    colour: Sequence[float],
    onto: Floats | None = None,
) -> Floats:
    """Light (h, w, 3) laid on an output of a size in several ways, each a map from the output to it, times its weight:
    the sum of all, added to other light where that is given. Costs 3 ns a pixel and way where the output is hardly
    turned or scaled, twice that elsewhere: a third or a seventh of what laying them one after the other does.
    """
    assert library is not None
    height, width = light.shape[:2]
    made = np.empty((size[1], size[0], 3), np.float32) if onto is None else onto
    assert made.shape == (size[1], size[0], 3)
    ways = np.array([each / each[2, 2] for each in maps], np.float32)
    counts, outside = np.array(weights, np.float32), np.array(colour, np.float32)
    library.smear(light, width, height, ways, counts, len(ways), border, outside, *size, onto is not None, made)
    return made


def _laid(look: Matrix, onward: Matrix, frame: Size, field: Floats) -> tuple[Any, ...]:
    maps = (np.ascontiguousarray(each / each[2, 2], np.float32) for each in (look, onward))
    return *maps, *map(float, frame), field, field.shape[1], field.shape[0]


@dataclass(frozen=True, kw_only=True, eq=False)
class Turn:
    """One turn of fitting: how far points are off (frames, n), the noise (frames,), how much they count (frames, n).

    And of the least squares the normal matrix (frames, 8, 8) and the right side (frames, 8).
    """

    distance: Numbers
    noise: Numbers
    weights: Numbers
    normal: Numbers
    right: Numbers


def fit_turn(
    points: Numbers,
    targets: Numbers,
    bases: Numbers,
    maps: Numbers,
    radius_px: float,
    *,
    softly: bool,
    counts: float,
    quantiles: tuple[Numbers, Numbers],
    noise_px: tuple[float, float],
    tukey: float,
) -> Turn:
    """See `motion.matching.fitting`: `points` (2, n), `targets` (frames, 2, n), `bases` (frames, n), `maps` (frames, 3,
    3). Costs 15 ns a point and frame.
    """
    assert library is not None
    frames, _, n = targets.shape
    assert points.shape == (2, n) and bases.shape == (frames, n) and maps.shape == (frames, 3, 3)
    made = Turn(
        distance=np.empty((frames, n)),
        noise=np.empty(frames),
        weights=np.empty((frames, n)),
        normal=np.empty((frames, 8, 8)),
        right=np.empty((frames, 8)),
    )
    maps, scratch = np.ascontiguousarray(maps), np.empty(4 * n)
    given, shares = (points, targets, bases, maps), quantiles
    found = made.distance, made.noise, made.weights, made.normal, made.right, scratch
    library.fit_turn(
        *(frames, n, *map(_address, given), radius_px, softly, counts, *map(_address, shares), *noise_px, tukey),
        *map(_address, found),
    )
    return made


def _address(numbers: Numbers) -> int:
    assert numbers.dtype == np.float64 and numbers.flags.c_contiguous, "the library is given plain rows of numbers"
    return numbers.ctypes.data
