"""Areas that another film shows, as coverage of a take's frames."""

from pathlib import Path

import cv2
import numpy as np

from clevrin.core.document.cut_outs import Filmed
from clevrin.core.errors import MediaError
from clevrin.core.matte.cutting.kept import CutFrames, packed
from clevrin.core.matte.matte import NOTHING
from clevrin.core.media.probe import fingerprint
from clevrin.core.media.reading import FilmReader
from clevrin.core.progress import Progress, step

_SHAPES = 0.01


def read_filmed(filmed: Filmed, frames: int, size: tuple[int, int], progress: Progress) -> CutFrames:
    """What a film shows of an area of a take of so many frames and pictures of a `size`, frame for frame.

    It may be larger or smaller, and end earlier: then nothing is there. Raises `MediaError` where it is missing,
    another one than was chosen, or of another shape. Costs 5 to 20 ms a frame.
    """
    path = Path(filmed.path)
    if fingerprint(path) != filmed.fingerprint:
        raise MediaError(f"{path.name} is no longer the film of an area that was chosen; choose it again.")
    covers = []
    with FilmReader(path) as reader:
        for frame in range(frames):
            step(progress, frame + 1, frames)
            if frame >= reader.frames:
                covers.append(NOTHING)
                continue
            share = reader.read_share(frame)
            height, width = share.shape
            if abs(width / height / (size[0] / size[1]) - 1) > _SHAPES:
                raise MediaError(f"{path.name} shows pictures of {width}x{height}: the take's are {size[0]}x{size[1]}.")
            if (width, height) != size:
                share = cv2.resize(share, size, interpolation=cv2.INTER_AREA if width > size[0] else cv2.INTER_LINEAR)
            covers.append(packed(0, 0, share.astype(np.float32) / np.float32(255)))
    return CutFrames(covers=tuple(covers), sure=np.ones(frames, np.float32))
