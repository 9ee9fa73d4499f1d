"""Writing films: MP4, or with what is clear MOV. Files are whole or absent, and say what their colours are."""

import contextlib
from collections.abc import Iterable
from contextlib import ExitStack
from fractions import Fraction
from pathlib import Path

import av
import numpy as np
from numpy.typing import NDArray

from clevrin.core.document.colour import BT709, Colour
from clevrin.core.errors import MediaError
from clevrin.core.media.coding import Coding, coded_frame, picture_stream
from clevrin.core.media.picture import Picture
from clevrin.core.outputs import WholeOrAbsent, put, writing_error

SOUND_RATE = 48_000
"""Samples per second of all sound inside Clevrin and in what it writes."""


class FilmWriter(WholeOrAbsent):
    """Writes pictures, and sound if there is any, to an MP4 file, or to a MOV file whose pictures may have gaps.

    A context manager: the file is whole, or as it was before. Pictures become H.264, of ten bits for deep ones and for
    those of a high range; in MOV all are ProRes 4444. Raises `MediaError` where the file cannot be written.
    """

    def __init__(
        self,
        path: Path,
        *,
        rate: Fraction,
        size: tuple[int, int],
        sound: bool = False,
        colour: Colour = BT709,
        deep: bool = False,
        never: Iterable[Path] = (),
        quality: int = 18,
        preset: str = "veryfast",
        threads: int = 0,
        all_intra: bool = False,
    ) -> None:
        """`rate` in frames per second, `size` in pixels (even), `quality` as x264's constant rate factor.

        `colour` is what the pictures are, one of `Colour.home`; `never` are files that may not be written over.
        `all_intra` makes every frame an entry: a larger file, any frame of which is read by itself.
        """
        if size[0] % 2 or size[1] % 2 or min(size) < 2:
            raise MediaError(f"A film of {size[0]}x{size[1]} cannot be written: width and height must be even.")
        self._path = path
        self._alpha = carries_alpha(path)
        self._deep = deep or colour.hdr
        self._colour = colour
        self._rate = rate
        self._frames = 0
        self._samples = 0
        with ExitStack() as undo:
            self._part = undo.enter_context(put(path, never))
            try:
                self._part.touch()  # FFmpeg would notice only with the first packet that it cannot write there
                kind = "mov" if self._alpha else "mp4"
                self._container = av.open(
                    str(self._part), "w", format=kind, options={"movflags": "+faststart+write_colr"}
                )
            except OSError as error:
                raise writing_error(path, error) from error
            undo.callback(self._close_quietly)
            self._video = self._video_stream(size, quality, preset, threads, all_intra=all_intra)
            self._sound = self._container.add_stream("aac", rate=SOUND_RATE, layout="stereo") if sound else None
            self._undo = undo.pop_all()

    def _video_stream(
        self, size: tuple[int, int], quality: int, preset: str, threads: int, *, all_intra: bool
    ) -> av.VideoStream:
        if self._alpha:
            options = {"profile": "4444", "alpha_bits": "16"}
        else:
            options = {"crf": str(quality), "preset": preset}
        if all_intra:
            options |= {"g": "1", "tune": "fastdecode"}
        self._coding = Coding(
            codec="prores_ks" if self._alpha else "libx264",
            pixels="yuva444p10le" if self._alpha else "yuv420p10le" if self._deep else "yuv420p",
            options=tuple(options.items()),
            threads=threads,
        )
        return picture_stream(self._container, self._coding, self._rate, size, self._colour)

    def write(self, picture: Picture) -> None:
        """Appends one picture; it must have the size of the film."""
        width, height = self._video.width, self._video.height
        if picture.size != (width, height):
            raise ValueError(f"picture of {picture.size} in a film of {(width, height)}")
        frame = coded_frame(picture, self._coding, self._frames, self._rate, self._colour)
        self._frames += 1
        self._mux(self._video.encode(frame))

    def write_sound(self, samples: NDArray[np.float32]) -> None:
        """Appends sound: (n, 2) float32, -1 to 1, at 48,000 samples per second."""
        if self._sound is None:
            raise ValueError("this film was started without sound")
        frame = av.AudioFrame.from_ndarray(np.ascontiguousarray(samples.T), format="fltp", layout="stereo")
        frame.sample_rate = SOUND_RATE
        frame.pts = self._samples
        frame.time_base = Fraction(1, SOUND_RATE)
        self._samples += len(samples)
        self._mux(self._sound.encode(frame))

    def _mux(self, packets: list[av.Packet]) -> None:
        try:
            self._container.mux(packets)
        except OSError as error:
            raise writing_error(self._path, error) from error

    def _close_quietly(self) -> None:
        with contextlib.suppress(OSError):
            self._container.close()

    def _finish(self) -> None:
        self._mux(self._video.encode(None))
        if self._sound is not None:
            self._mux(self._sound.encode(None))
        self._container.close()


def carries_alpha(path: Path) -> bool:
    """Whether a film of this name can have parts that are not there."""
    return path.suffix.lower() == ".mov"


def what_is_not_carried(path: Path) -> str:
    """Says what becomes of what is clear in a film that cannot have it."""
    return f"{path.name} cannot carry what is clear: black stands there. Name it .mov to keep it clear."
