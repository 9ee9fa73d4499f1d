"""Grey pictures of sixteen bits, without loss: as a film (FFV1 in MKV), or as a folder of PNG files."""

import contextlib
from collections.abc import Iterable
from contextlib import ExitStack
from fractions import Fraction
from pathlib import Path

import av
import cv2
import numpy as np
from numpy.typing import NDArray

from clevrin.core.errors import MediaError
from clevrin.core.outputs import WholeOrAbsent, check_new_folder, check_output, put, put_folder, writing_error

FILM_SUFFIX = ".mkv"
Grey = NDArray[np.float32]


class GreyWriter(WholeOrAbsent):
    """Writes pictures (h, w) of 0 to 1, a film's where the name ends in .mkv, else files in a new folder.

    A context manager: what is written is whole or absent. Raises `MediaError` where it cannot be written.
    """

    def __init__(self, path: Path, *, rate: Fraction, size: tuple[int, int], never: Iterable[Path] = ()) -> None:
        self._path, self._size, self._frames = path, size, 0
        self._container: av.container.OutputContainer | None = None
        with ExitStack() as undo:
            if path.suffix.lower() == FILM_SUFFIX:
                self._part = undo.enter_context(put(path, never))
                self._begin_film(rate, undo)
            else:
                check_grey_output(path)
                self._part = undo.enter_context(put_folder(path))
            self._undo = undo.pop_all()

    def _begin_film(self, rate: Fraction, undo: ExitStack) -> None:
        try:
            self._container = av.open(str(self._part), "w", format="matroska")
        except OSError as error:
            raise writing_error(self._path, error) from error
        undo.callback(self._close_quietly)
        stream = self._container.add_stream("ffv1", rate=rate)
        stream.width, stream.height = self._size
        stream.pix_fmt = "gray16le"
        stream.time_base = 1 / rate
        self._rate, self._stream = rate, stream

    def write(self, grey: Grey) -> None:
        """Appends one picture; it must have the size that was said."""
        if grey.shape != self._size[::-1]:
            raise ValueError(f"picture of {grey.shape[::-1]} among those of {self._size}")
        codes = (np.clip(grey, 0, 1) * np.float32(65535) + np.float32(0.5)).astype(np.uint16)
        try:
            if self._container is None:
                _, packed = cv2.imencode(".png", codes)
                (self._part / f"{self._frames:06d}.png").write_bytes(packed.tobytes())
            else:
                frame = av.VideoFrame.from_ndarray(codes, format="gray16le")
                frame.pts, frame.time_base = self._frames, 1 / self._rate
                self._container.mux(self._stream.encode(frame))
        except OSError as error:
            raise writing_error(self._path, error) from error
        self._frames += 1

    def _close_quietly(self) -> None:
        if self._container is not None:
            with contextlib.suppress(OSError):
                self._container.close()

    def _finish(self) -> None:
        if self._container is not None:
            self._container.mux(self._stream.encode(None))
            self._container.close()


def check_grey_output(path: Path, inputs: Iterable[Path] = ()) -> None:
    """Raises `MediaError` where such a film, or a new folder, may not be put."""
    if path.suffix.lower() == FILM_SUFFIX:
        check_output(path, inputs)
    elif path.suffix:
        raise MediaError(f"{path.name} is neither a film of grey (.mkv) nor a folder.")
    else:
        check_new_folder(path)
