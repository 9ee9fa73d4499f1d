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
from clevrin.core.media.picture import Picture, Plane, risen
from clevrin.core.outputs import WholeOrAbsent, put, writing_error

SOUND_RATE = 48_000
"""Samples per second of all sound inside Clevrin and in what it writes."""


_PRIMARIES = {"bt709": 1, "p3": 12, "bt2020": 9}
_TRANSFERS = {"sdr": 1, "hlg": 18, "pq": 16}
_MATRICES = {"bt709": 1, "bt2020": 9}
"""ITU-T H.273."""


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
        codec = "prores_ks" if self._alpha else "libx264"
        stream = self._container.add_stream(codec, rate=self._rate)
        stream.width, stream.height = size
        stream.pix_fmt = "yuva444p10le" if self._alpha else "yuv420p10le" if self._deep else "yuv420p"
        stream.time_base = 1 / self._rate
        if self._alpha:
            options = {"profile": "4444", "alpha_bits": "16"}
        else:
            options = {"crf": str(quality), "preset": preset}
        if all_intra:
            options |= {"g": "1", "tune": "fastdecode"}
        stream.options = options
        stream.thread_count = threads
        context = stream.codec_context
        context.color_range, context.colorspace = 1, _MATRICES[self._colour.matrix]
        context.color_primaries = _PRIMARIES[self._colour.primaries]
        context.color_trc = _TRANSFERS[self._colour.transfer]
        return stream

    def write(self, picture: Picture) -> None:
        """Appends one picture; it must have the size of the film."""
        width, height = self._video.width, self._video.height
        if picture.size != (width, height):
            raise ValueError(f"picture of {picture.size} in a film of {(width, height)}")
        frame = _clear_frame(picture) if self._alpha else _plain_frame(picture, deep=self._deep)
        frame.color_range, frame.colorspace = 1, _MATRICES[self._colour.matrix]
        frame.color_primaries = _PRIMARIES[self._colour.primaries]
        frame.color_trc = _TRANSFERS[self._colour.transfer]
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


def _plain_frame(picture: Picture, *, deep: bool) -> av.VideoFrame:
    width, height = picture.size
    if deep:
        frame = av.VideoFrame(width, height, "yuv420p10le")
        for k, plane in enumerate(picture.deepened().planes):
            _fill(frame.planes[k], _ten_bit(plane))
        return frame
    planes = [_eight_bit(plane) if picture.deep else plane for plane in picture.planes]
    packed = np.concatenate([plane.reshape(-1) for plane in planes])
    return av.VideoFrame.from_ndarray(packed.reshape(height * 3 // 2, width), format="yuv420p")


def _clear_frame(picture: Picture) -> av.VideoFrame:
    """The picture in ten bits, its chroma at full size."""
    width, height = picture.size
    picture = picture.deepened()
    alpha = np.full((height, width), 65535, np.uint16) if picture.alpha is None else picture.alpha
    frame = av.VideoFrame(width, height, "yuva444p10le")
    chroma = (risen(plane, picture.siting, picture.size) for plane in (picture.u, picture.v))
    for k, plane in enumerate((picture.y, *chroma)):
        _fill(frame.planes[k], _ten_bit(plane))
    _fill(frame.planes[3], ((alpha.astype(np.uint32) * 1023 + 32767) // 65535).astype(np.uint16))
    return frame


def _fill(plane: av.video.plane.VideoPlane, values: Plane) -> None:
    height, width = values.shape
    padded = np.zeros((height, plane.line_size // 2), np.uint16)
    padded[:, :width] = values
    plane.update(padded.tobytes())


def _ten_bit(plane: Plane) -> Plane:
    return (np.minimum(plane, 65535 - 32).astype(np.uint16) + np.uint16(32)) >> 6


def _eight_bit(plane: Plane) -> NDArray[np.uint8]:
    return ((np.minimum(plane, 65535 - 128).astype(np.uint16) + np.uint16(128)) >> 8).astype(np.uint8)
