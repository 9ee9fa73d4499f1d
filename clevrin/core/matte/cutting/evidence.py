"""What speaks for a pixel to be of a subject: that it is not what is behind it, and that it has the subject's colours.

Everything is a difference of log likelihoods: above 0 the subject is likelier.
"""

import cv2
import numpy as np
from numpy.typing import NDArray

from clevrin.core.importing import importing
from clevrin.core.matte.averaging import mean_about
from clevrin.core.matte.cutting.masks import Hidden
from clevrin.core.matte.cutting.window import Mask, Part, Rgb, Window
from clevrin.core.motion.geometry.models import translation

Numbers = NDArray[np.float32]
Flags = NDArray[np.bool_]

_APART = (-24, -16, -11, -7, -4, -2, 2, 4, 7, 11, 16, 24)
_FEWEST_SEEN = 3
_NOISE, _OFF_PX = 3.0, 0.35
"""Of a code value: the least noise of a picture; and by how many pixels the background may be laid wrongly."""
_NEAR_PX = 9
_LEAST_SPREAD = 16.0
_ANY = float(np.log(1 / 256.0**3))
_OTHER_SUBJECT, _OTHER_GROUND, _OTHER_PLATE, _LIKE_GROUND = 0.02, 0.1, 0.1, 0.3
"""How likely it is that a pixel has none of the colours that were seen; that a background is as it is beside it."""
_BINS_BITS, _BINS_SPREAD, _HARDLY = 3, 1.0, 2e-5
_MOST, _MOST_OVERALL = 6.0, 4.0
_MOTIONS = (-12, -8, -5, -3, 3, 5, 8, 12)
_LEAST_MOTION_PX = 1.2


def plate(window: Window, frame: int, part: Part, hidden: Hidden) -> tuple[Numbers, Numbers, Flags]:
    """What lies behind a part of a frame: its colours and their variance (h, w, 3), and where it is known.

    The median of what frames near it saw there, without what was `hidden` in them. Its variance counts the noise, and
    that an edge is not laid exactly.
    """
    seen, counts = [], []
    for apart in _APART:
        other = frame + apart
        if 0 <= other < window.frames:
            seen.append(window.brought(other, frame, part))
            counts.append(window.seen(other, frame, part, hidden.get(other)))
    if not seen:
        shape = part.size[1], part.size[0]
        return np.zeros((*shape, 3), np.float32), np.ones((*shape, 3), np.float32), np.zeros(shape, bool)
    pictures, there = np.array(seen), np.array(counts)
    pictures[~there] = 255
    pictures.sort(axis=0)
    many = there.sum(axis=0)

    def at(share: float) -> Numbers:
        number = np.round((many - 1) * share).astype(int).clip(0, len(pictures) - 1)
        return np.take_along_axis(pictures, number[None, ..., None], axis=0)[0].astype(np.float32)

    middle = at(0.5)
    spread = np.float32(0.74) * (at(0.75) - at(0.25))
    spread[many < _FEWEST_SEEN + 1] = _NOISE
    smooth = cv2.GaussianBlur(middle, (0, 0), 0.8)
    across, down = (cv2.Sobel(smooth, cv2.CV_32F, *way) / 8 for way in ((1, 0), (0, 1)))
    variance = _NOISE**2 + spread**2 + _OFF_PX**2 * (across**2 + down**2)
    return middle, variance.astype(np.float32), many >= _FEWEST_SEEN


def against(seen: Numbers, plate: tuple[Numbers, Numbers, Flags]) -> Numbers:
    """(h, w) log likelihood that pixels are the background that is known there."""
    return _with_others(_normal(seen, plate[0], plate[1]), _OTHER_PLATE)


class ColourTable:
    """How often each colour was seen in a subject and about it (32 x 32 x 32): what is true of the whole of it."""

    def __init__(self) -> None:
        self._subject, self._ground = np.zeros(32**3), np.zeros(32**3)
        self._odds: Numbers | None = None

    def add(self, rgb: Rgb, mask: Mask) -> None:
        cells = _cells(rgb)
        self._subject += np.bincount(cells[mask > 0], minlength=32**3)
        self._ground += np.bincount(cells[mask == 0], minlength=32**3)
        self._odds = None

    def odds(self, rgb: Rgb) -> Numbers:
        """(h, w) log likelihood of the subject against the ground."""
        with importing:
            from scipy.ndimage import gaussian_filter

        if self._odds is None:
            shares = []
            for each in (self._subject, self._ground):
                smooth = gaussian_filter(each.reshape(32, 32, 32), _BINS_SPREAD)
                shares.append(smooth / max(1.0, smooth.sum()) + _HARDLY)
            self._odds = np.log(shares[0] / shares[1]).astype(np.float32).ravel()
        return self._odds[_cells(rgb)].clip(-_MOST_OVERALL, _MOST_OVERALL)


def odds(rgb: Rgb, mask: Mask, table: ColourTable, behind: tuple[Numbers, Numbers, Flags]) -> Numbers:
    """(h, w) log likelihood of the subject against the background, by colours near by, overall, and what is behind.

    `mask` (h, w): where the subject is thought to be; of the colours on both sides of its edge those within a few
    pixels count (after Bai, Wang, Simons and Sapiro 2009).
    """
    seen, kernel = rgb.astype(np.float32), np.ones((3, 3), np.uint8)
    inner, outer = (cv2.erode(each, kernel).astype(np.float32) for each in (mask, 1 - mask))
    subject = _with_others(_near(seen, inner), _OTHER_SUBJECT)
    beside = _with_others(_near(seen, outer), _OTHER_GROUND)
    ground = np.logaddexp(against(seen, behind) + np.log(1 - _LIKE_GROUND), beside + np.log(_LIKE_GROUND))
    near = (subject - np.where(behind[2], ground, beside)).clip(-_MOST, _MOST)
    return np.asarray(near + table.odds(rgb), np.float32)


def by_motion(window: Window, frame: int, part: Part, middles: dict[int, NDArray[np.float64]]) -> Numbers:
    """(h, w) whether pixels go with what is at `middles` (by frame, working px) rather than with the camera."""
    seen = window.rgb(frame)[part.at].astype(np.float32)
    total = np.zeros(seen.shape[:2], np.float32)
    for apart in _MOTIONS:
        other = frame + apart
        if other not in middles:
            continue
        moved = window.carried(middles[other], other, frame) - middles[frame]
        if np.hypot(*moved) < _LEAST_MOTION_PX:
            continue
        back = translation(-moved[0], -moved[1])
        with_camera, with_it = (
            _mean_square(seen - window.brought(other, frame, part, by).astype(np.float32)) for by in (None, back)
        )
        better = (with_camera - with_it) / (120 + np.minimum(with_camera, with_it) / 2)
        total += better.clip(-1.5, 1.5)
    return total


def _mean_square(apart: Numbers) -> Numbers:
    return np.asarray(cv2.boxFilter(np.minimum((apart * apart).sum(axis=2), 3000), -1, (5, 5)))


def _near(seen: Numbers, counts: Numbers) -> Numbers:
    """Log likelihood of each pixel among the colours about it that count: one normal distribution, by channel."""
    mean, share = mean_about(seen, counts, _NEAR_PX)
    square, _ = mean_about(seen * seen, counts, _NEAR_PX)
    likely = _normal(seen, mean, np.maximum(square - mean * mean, 0) + np.float32(_LEAST_SPREAD))
    return np.where(share > 1e-3, likely, np.float32(-99))


def _normal(seen: Numbers, mean: Numbers, variance: Numbers) -> Numbers:
    apart = seen - mean
    exponent = (apart * apart / variance + np.log(variance)).sum(axis=2)
    return np.asarray(-0.5 * exponent - np.float32(1.5 * np.log(2 * np.pi)), np.float32)


def _with_others(likely: Numbers, share: float) -> Numbers:
    """Of a share of pixels nothing is known: they may have any colour."""
    return np.logaddexp(likely + np.float32(np.log(1 - share)), np.float32(_ANY + np.log(share)))


def _cells(rgb: Rgb) -> NDArray[np.int64]:
    r, g, b = (rgb[..., k].astype(np.int64) >> _BINS_BITS for k in range(3))
    return (r << 10) | (g << 5) | b
