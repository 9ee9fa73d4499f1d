"""Writing H.264 in MP4, or with transparency ProRes 4444 in MOV: the file is whole or absent."""

import contextlib
import errno
import os
from fractions import Fraction
from pathlib import Path
from types import TracebackType
from typing import Self

import av
import numpy as np
from numpy.typing import NDArray

from clevrin.core.errors import MediaError
from clevrin.core.media.picture import Picture, doubled

SOUND_RATE = 48_000
"""Samples per second of all sound inside Clevrin and in what it writes."""


class FilmWriter:
    """Writes pictures, and sound if there is any, to an MP4 file, or to a MOV file whose pictures may have gaps.

    A context manager: pictures go to `PATH.part`, which takes the place of `PATH` when the block ends well,
    and is removed when it does not. Raises `MediaError` where the file cannot be written.
    """

    def __init__(
        self,
        path: Path,
        *,
        rate: Fraction,
        size: tuple[int, int],
        sound: bool = False,
        quality: int = 18,
        preset: str = "veryfast",
        threads: int = 0,
        all_intra: bool = False,
    ) -> None:
        """`rate` in frames per second, `size` in pixels (even), `quality` as x264's constant rate factor.

        `all_intra` makes every frame an entry: a larger file, any frame of which is read by itself.
        """
        if size[0] % 2 or size[1] % 2 or min(size) < 2:
            raise MediaError(f"A film of {size[0]}x{size[1]} cannot be written: width and height must be even.")
        self._path = path
        self._alpha = carries_alpha(path)
        self._part = path.with_name(path.name + ".part")
        self._rate = rate
        self._frames = 0
        self._samples = 0
        try:
            self._part.touch()  # FFmpeg would notice only with the first packet that it cannot write there
            kind = "mov" if self._alpha else "mp4"
            self._container = av.open(str(self._part), "w", format=kind, options={"movflags": "+faststart"})
        except OSError as error:
            raise _writing_error(path, error) from error
        self._video = self._container.add_stream("prores_ks" if self._alpha else "libx264", rate=rate)
        self._video.width, self._video.height = size
        self._video.pix_fmt = "yuva444p10le" if self._alpha else "yuv420p"
        self._video.time_base = 1 / rate
        if self._alpha:
            self._video.options = {"profile": "4444", "alpha_bits": "16"}
        else:
            self._video.options = {"crf": str(quality), "preset": preset}
        if all_intra:
            self._video.options |= {"g": "1", "tune": "fastdecode"}
        self._video.thread_count = threads
        context = self._video.codec_context
        context.color_range, context.colorspace, context.color_primaries, context.color_trc = 1, 1, 1, 1
        self._sound = self._container.add_stream("aac", rate=SOUND_RATE, layout="stereo") if sound else None

    def write(self, picture: Picture) -> None:
        """Appends one picture; it must have the size of the film."""
        width, height = self._video.width, self._video.height
        if picture.size != (width, height):
            raise ValueError(f"picture of {picture.size} in a film of {(width, height)}")
        frame = _with_alpha(picture) if self._alpha else _without_alpha(picture)
        frame.pts = self._frames
        frame.time_base = 1 / self._rate
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
            raise _writing_error(self._path, error) from error

    def __enter__(self) -> Self:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        try:
            if kind is None:
                self._mux(self._video.encode(None))
                if self._sound is not None:
                    self._mux(self._sound.encode(None))
                self._container.close()
                with self._part.open("rb") as written:
                    os.fsync(written.fileno())
                self._part.replace(self._path)
        except OSError as problem:
            raise _writing_error(self._path, problem) from problem
        finally:
            with contextlib.suppress(OSError):
                self._container.close()
            self._part.unlink(missing_ok=True)


def carries_alpha(path: Path) -> bool:
    """Whether a film of this name can have parts that are not there."""
    return path.suffix.lower() == ".mov"


def what_is_not_carried(path: Path) -> str:
    """Says what becomes of what is clear in a film that cannot have it."""
    return f"{path.name} cannot carry what is clear: black stands there. Name it .mov to keep it clear."


def _without_alpha(picture: Picture) -> av.VideoFrame:
    width, height = picture.size
    packed = np.concatenate([plane.reshape(-1) for plane in picture.planes])
    return av.VideoFrame.from_ndarray(packed.reshape(height * 3 // 2, width), format="yuv420p")


def _with_alpha(picture: Picture) -> av.VideoFrame:
    """The picture in ten bits, its chroma at full size."""
    width, height = picture.size
    alpha = np.full((height, width), 255, np.uint8) if picture.alpha is None else picture.alpha
    frame = av.VideoFrame(width, height, "yuva444p10le")
    chroma = (doubled(plane)[:height, :width] for plane in (picture.u, picture.v))
    for k, plane in enumerate((picture.y, *chroma, alpha)):
        ten = plane.astype(np.uint16) << 2 if k < 3 else (plane.astype(np.uint32) * 1023 + 127) // 255
        line = frame.planes[k].line_size // 2
        padded = np.zeros((height, line), np.uint16)
        padded[:, :width] = ten
        frame.planes[k].update(padded.tobytes())
    return frame


def _writing_error(path: Path, error: OSError) -> MediaError:
    if error.errno == errno.ENOSPC:
        return MediaError(f"There is no room on the disk to write {path.name}; free some and try again.")
    reason = (error.strerror or str(error)).lower()
    return MediaError(f"{path} cannot be written: {reason}.")


def check_place(path: Path, inputs: list[Path]) -> None:
    """Raises `MediaError` where a file cannot be put without overwriting what it is made from."""
    if any(path.resolve() == source.resolve() for source in inputs):
        raise MediaError(f"{path.name} is what this is made from: choose another name.")
    if not path.parent.is_dir():
        raise MediaError(f"The folder {path.parent} is not there.")
    if path.is_dir():
        raise MediaError(f"{path} is a folder: name a file.")
