"""Scopes: what of the light and the colours of a picture is where, counted from the picture as it is shown."""

import numpy as np
from numpy.typing import NDArray

Pixels = NDArray[np.uint8]
Counts = NDArray[np.float32]

LEVELS = 256
_RED, _GREEN, _BLUE = 0.2126, 0.7152, 0.0722
"""BT.709's shares of red, green and blue in light."""
_MOST_PIXELS = 240_000
_SEVENTY_FIVE = 0.75


def light_scope(bgra: Pixels, columns: int) -> Counts:
    """(256, columns) how much of each level, the brightest above, is in each stretch of a picture's width: 0 to 1.

    `bgra` (h, w, 3 or 4), as it is shown. Costs 3 ms for 640x360.
    """
    seen = _thinned(bgra)
    luma = (seen[..., 2] * _RED + seen[..., 1] * _GREEN + seen[..., 0] * _BLUE + 0.5).astype(np.int64)
    place = np.arange(seen.shape[1]) * columns // seen.shape[1]
    counts = np.bincount((luma * columns + place).ravel(), minlength=LEVELS * columns)
    return _shown(counts.reshape(LEVELS, columns)[::-1])


def colour_scope(bgra: Pixels, side: int) -> Counts:
    """(side, side) how much of each colour there is, without its light: blue difference across, red difference up.

    Grey is in the middle; the edges are as far as colours can be (BT.709). Costs 3 ms for 640x360.
    """
    seen = _thinned(bgra)
    across, up = differences(seen[..., 2], seen[..., 1], seen[..., 0])
    x = np.clip(((across + 0.5) * side).astype(np.int64), 0, side - 1)
    y = np.clip(((0.5 - up) * side).astype(np.int64), 0, side - 1)
    return _shown(np.bincount((y * side + x).ravel(), minlength=side * side).reshape(side, side))


def differences(
    red: NDArray[np.generic], green: NDArray[np.generic], blue: NDArray[np.generic]
) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """Blue and red difference of colours of 0 to 255: -0.5 to 0.5."""
    r, g, b = (np.asarray(each, np.float32) / 255 for each in (red, green, blue))
    luma = r * _RED + g * _GREEN + b * _BLUE
    across, up = (b - luma) / (2 * (1 - _BLUE)), (r - luma) / (2 * (1 - _RED))
    return np.asarray(across, np.float32), np.asarray(up, np.float32)


def bar_places() -> dict[str, tuple[float, float]]:
    """Where the colours of bars at 75 % lie: blue and red difference of each, by its name."""
    found = {}
    for name, rgb in {
        "red": (1, 0, 0),
        "yellow": (1, 1, 0),
        "green": (0, 1, 0),
        "cyan": (0, 1, 1),
        "blue": (0, 0, 1),
        "magenta": (1, 0, 1),
    }.items():
        across, up = differences(*(np.array(255 * _SEVENTY_FIVE * each) for each in rgb))
        found[name] = float(across), float(up)
    return found


def _thinned(bgra: Pixels) -> Pixels:
    """Rows left out where there are more pixels than a scope has to count."""
    step = max(1, bgra.shape[0] * bgra.shape[1] // _MOST_PIXELS)
    return bgra[::step]


def _shown(counts: NDArray[np.int64]) -> Counts:
    """Counts as light: what is there once is seen, and what is there a thousand times does not hide it."""
    most = max(1, int(counts.max()))
    return np.asarray(np.log1p(counts) / np.log1p(most), np.float32)
