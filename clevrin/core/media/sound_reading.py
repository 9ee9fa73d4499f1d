"""Reading the sound of a take as stereo samples at Clevrin's own rate."""

from pathlib import Path

import av
import numpy as np
from numpy.typing import NDArray

from clevrin.core.media.index import open_container
from clevrin.core.media.writing import SOUND_RATE


def read_sound(path: Path, start_s: float, samples: int) -> NDArray[np.float32]:
    """(samples, 2) float32 from `start_s` seconds after the film's first picture; silence where there is none.

    Raises `MediaError` for a file that cannot be opened; damaged sound is silence from there on.
    """
    result = np.zeros((samples, 2), np.float32)
    with open_container(path) as container:
        if not container.streams.audio:
            return result
        stream = container.streams.audio[0]
        pictures = container.streams.video[0] if container.streams.video else None
        zero_s = 0.0
        if pictures is not None and pictures.start_time is not None:
            zero_s = float(pictures.start_time * pictures.time_base)
        resampler = av.AudioResampler(format="fltp", layout="stereo", rate=SOUND_RATE)
        first_s = zero_s + start_s
        try:
            if start_s > 1:
                container.seek(int((first_s - 0.5) / stream.time_base), stream=stream, backward=True)
            at: int | None = None
            for frame in container.decode(stream):
                if at is None:
                    when_s = float(frame.pts * stream.time_base) if frame.pts is not None else zero_s
                    at = round((when_s - first_s) * SOUND_RATE)
                for piece in resampler.resample(frame):
                    block = piece.to_ndarray().T
                    _place(result, block, at)
                    at += len(block)
                if at >= samples:
                    break
        except OSError:
            pass
    return result


def _place(result: NDArray[np.float32], block: NDArray[np.float32], at: int) -> None:
    first, last = max(0, at), min(len(result), at + len(block))
    if last > first:
        result[first:last] = block[first - at : last - at]
