"""The grain of a take, measured in a frame of it, and as much of it for what is laid into the frame.

Its strength is that of the flattest blocks of the frame beside their own slope, as coded values (after Immerkaer 1996,
doi:10.1006/cviu.1996.0060, with a plane in the place of his mask, so that grain that is not white counts in full); its
size is read off how much neighbours agree there.
"""

from dataclasses import dataclass
from functools import lru_cache

import cv2
import numpy as np
from numpy.typing import NDArray

from clevrin.core.media.picture import Picture, Plane

_BLOCK = 16
_FLATTEST, _FLATTER = 0.12, 1.55
"""So much of all blocks is looked at; by so many deviations that share of even blocks is flatter than their mean."""
_DARKEST, _BRIGHTEST = 20.0, 230.0
_MOST_BLOCKS = 1024
_TILE = 512
_STEP = (193, 311)
"""Each frame begins elsewhere in the tile: no two neighbours are alike."""


@dataclass(frozen=True, kw_only=True)
class Grain:
    """`luma` and `chroma`: standard deviations in code values of 8 bit; `size_px`: of the blur that white noise would
    need to be as coarse, in pixels of luma.
    """

    luma: float
    chroma: float
    size_px: float


NO_GRAIN = Grain(luma=0.0, chroma=0.0, size_px=0.0)


def grain_of(picture: Picture) -> Grain:
    """The grain of a frame; none where nothing of it is flat. Costs some 5 ms, whatever its size."""
    by = 256.0 if picture.deep else 1.0
    residual = _residuals(picture.y, by)
    if residual is None:
        return NO_GRAIN
    deviation, agree = residual
    chroma = [found[0] for plane in (picture.u, picture.v) if (found := _residuals(plane, by))]
    return Grain(luma=deviation, chroma=float(np.mean(chroma)) if chroma else 0.0, size_px=_size_px(agree))


def _residuals(plane: Plane, by: float) -> tuple[float, float] | None:
    """The deviation of the flattest blocks from their planes, and how much neighbours agree in them, 0 to 1."""
    rows, columns = (side // _BLOCK for side in plane.shape)
    if rows * columns < 8:
        return None
    whole = plane[: rows * _BLOCK, : columns * _BLOCK].reshape(rows, _BLOCK, columns, _BLOCK)
    blocks = whole.swapaxes(1, 2).reshape(-1, _BLOCK, _BLOCK)
    blocks = blocks[:: 1 + len(blocks) // _MOST_BLOCKS].astype(np.float32) / np.float32(by)
    means = blocks.mean(axis=(1, 2))
    blocks = blocks[(means > _DARKEST) & (means < _BRIGHTEST)]
    if len(blocks) < 8:
        return None
    along = np.linspace(-1, 1, _BLOCK, dtype=np.float32)
    across = along / np.sum(along**2) / _BLOCK
    left = blocks - blocks.mean(axis=(1, 2), keepdims=True)
    left -= (blocks * across).sum(axis=(1, 2), keepdims=True) * along
    left -= (blocks * across[:, None]).sum(axis=(1, 2), keepdims=True) * along[:, None]
    variances = np.square(left).sum(axis=(1, 2)) / (_BLOCK**2 - 3)
    flattest = np.argsort(variances)[: max(4, int(len(variances) * _FLATTEST))]
    some = left[flattest]
    power = float(np.square(some).mean())
    if power < 1e-6:
        return 0.0, 0.0
    beside = float((some[:, :, 1:] * some[:, :, :-1]).mean() + (some[:, 1:] * some[:, :-1]).mean()) / 2
    agree = max(0.0, beside / power)
    # The flattest of many are flat by chance as well, and the more so the coarser the grain is.
    samples = _BLOCK**2 / (1 + 4 * np.pi * _size_px(agree) ** 2)
    chance = max(0.3, 1 - _FLATTER * np.sqrt(2 / samples))
    return float(np.sqrt(np.median(variances[flattest]) / chance)), agree


def _size_px(agree: float) -> float:
    """How wide a blur makes neighbours agree so much."""
    return 0.0 if agree < 0.05 else float(1 / (2 * np.sqrt(-np.log(min(agree, 0.95)))))


def grain_tile(grain: Grain, frame: int, channel: int) -> NDArray[np.float32]:
    """(512, 512) of grain of deviation 1, as coarse as a take's, without seams at its edges; another on each frame."""
    coarse = grain.size_px / (2 if channel else 1)
    tile = _tile(round(coarse, 1), channel)
    return np.roll(tile, (frame * _STEP[0] % _TILE, frame * _STEP[1] % _TILE), (0, 1))


@lru_cache(maxsize=8)
def _tile(size_px: float, channel: int) -> NDArray[np.float32]:
    noise = np.random.default_rng(channel).standard_normal((_TILE, _TILE)).astype(np.float32)
    if size_px > 0.2:
        wide = int(np.ceil(4 * size_px)) + 1
        wrapped = cv2.copyMakeBorder(noise, wide, wide, wide, wide, cv2.BORDER_WRAP)
        noise = cv2.GaussianBlur(wrapped, (0, 0), size_px)[wide:-wide, wide:-wide]
    tile = np.ascontiguousarray(noise / noise.std(), np.float32)
    tile.flags.writeable = False
    return tile
