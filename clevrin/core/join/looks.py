"""How a frame looks at a glance: its colours in nine fields, and its contrast."""

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
    """Of some frames: `lab` (frames, 3, 3, 3), CIELAB (D65) of the fields by row and column."""

    frames: tuple[int, ...]
    lab: NDArray[np.float64]


def glance(reader: FilmReader, frames: tuple[int, ...]) -> Looks:
    """The looks of some frames of a film; costs their decoding and about 1 ms each."""
    return Looks(frames=frames, lab=np.array([_fields(reader.read(frame)) for frame in frames]).reshape(-1, 3, 3, 3))


def _fields(picture: Picture) -> NDArray[np.float64]:
    small = shown(shrunk(picture, _GLANCE))
    lab = cv2.cvtColor(rgb_from_picture(small).astype(np.float32) / 255, cv2.COLOR_RGB2LAB)
    return cv2.resize(lab, (3, 3), interpolation=cv2.INTER_AREA).astype(np.float64)
