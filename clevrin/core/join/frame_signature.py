"""How a frame looks at a glance: its colours in nine fields, and how much there is to be seen in it."""

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from clevrin.core.media.colouring import shown
from clevrin.core.media.picture import Picture, rgb_from_picture, shrunk
from clevrin.core.media.reading import FilmReader

_GLANCE = (50, 28)


@dataclass(frozen=True, kw_only=True, eq=False)
class Looks:
    """Of some frames: `lab` (frames, 3, 3, 3), CIELAB (D65) of the fields by row and column.

    `left_l` (frames,): how far the picture is from an even one, which has light and shade but nothing in it: the RMS
    distance in CIELAB from the smooth surface (a quadric) that is nearest.
    """

    frames: tuple[int, ...]
    lab: NDArray[np.float64]
    left_l: NDArray[np.float64]


def glance(reader: FilmReader, frames: tuple[int, ...]) -> Looks:
    """The looks of some frames of a film; costs their decoding and about 1 ms each."""
    small = [_small(reader.read(frame)) for frame in frames]
    fields = [cv2.resize(each, (3, 3), interpolation=cv2.INTER_AREA) for each in small]
    return Looks(
        frames=frames,
        lab=np.array(fields, np.float64).reshape(-1, 3, 3, 3),
        left_l=np.array([_left(each) for each in small], np.float64),
    )


def _small(picture: Picture) -> NDArray[np.float32]:
    """A picture of `_GLANCE`, in CIELAB."""
    small = shown(shrunk(picture, _GLANCE))
    return np.asarray(cv2.cvtColor(rgb_from_picture(small).astype(np.float32) / 255, cv2.COLOR_RGB2LAB))


def _quadrics() -> NDArray[np.float64]:
    """(pixels, 6): an orthonormal basis of the smooth surfaces over the picture."""
    x, y = (each.ravel() for each in np.meshgrid(np.linspace(-1, 1, _GLANCE[0]), np.linspace(-1, 1, _GLANCE[1])))
    basis, _ = np.linalg.qr(np.column_stack([np.ones_like(x), x, y, x * x, x * y, y * y]))
    return basis


_SMOOTH = _quadrics()


def _left(lab: NDArray[np.float32]) -> float:
    pixels = lab.reshape(-1, 3).astype(np.float64)
    left = pixels - _SMOOTH @ (_SMOOTH.T @ pixels)
    return float(np.sqrt((left**2).sum(axis=1).mean()))
