"""Writing pictures to films: whole or absent, and saying what their colours are."""

import contextlib
from collections.abc import Mapping
from contextlib import ExitStack
from fractions import Fraction
from pathlib import Path

import av

from clevrin.core.document.colour import BT709, Colour
from clevrin.core.errors import MediaError
from clevrin.core.media.coding import Coding, coded_frame, picture_stream
from clevrin.core.media.picture import Picture
from clevrin.core.outputs import WholeOrAbsent, put, writing_error

SOUND_RATE = 48_000
"""Samples per second of all sound inside Clevrin and in what it writes."""


class PictureWriter(WholeOrAbsent):
    """Writes pictures alone, coded as is said. A context manager: the file is whole, or as it was before.

    Raises `MediaError` where it cannot be written, or the encoder refuses its options.
    """

    def __init__(
        self,
        path: Path,
        *,
        coding: Coding,
        rate: Fraction,
        size: tuple[int, int],
        colour: Colour,
        container: str,
        options: Mapping[str, str],
    ) -> None:
        """`rate` in frames per second, `size` in pixels, `colour` what the pictures are, one of `Colour.home`.

        `container` and its `options` are the codec library's.
        """
        self._path, self._coding, self._rate, self._colour = path, coding, rate, colour
        self._frames = 0
        with ExitStack() as undo:
            part = undo.enter_context(put(path))
            try:
                part.touch()  # FFmpeg would notice only with the first packet that it cannot write there
                self._container = av.open(str(part), "w", format=container, options=dict(options))
            except OSError as error:
                raise writing_error(path, error) from error
            undo.callback(self._close_quietly)
            try:
                self._stream = picture_stream(self._container, coding, rate, size, colour)
            except (av.FFmpegError, ValueError) as error:
                raise MediaError(_refused(coding)) from error
            self._undo = undo.pop_all()

    def write(self, picture: Picture) -> None:
        """Appends one picture; it must have the size that was said."""
        size = self._stream.width, self._stream.height
        if picture.size != size:
            raise ValueError(f"picture of {picture.size} in a film of {size}")
        frame = coded_frame(picture, self._coding, self._frames, self._rate, self._colour)
        self._frames += 1
        self._mux(frame)

    def _mux(self, frame: av.VideoFrame | None) -> None:
        try:
            self._container.mux(self._stream.encode(frame))
        except OSError as error:
            raise writing_error(self._path, error) from error
        except (av.FFmpegError, ValueError) as error:
            raise MediaError(_refused(self._coding)) from error

    def _close_quietly(self) -> None:
        with contextlib.suppress(OSError, av.FFmpegError):
            self._container.close()

    def _finish(self) -> None:
        self._mux(None)
        self._container.close()


class FilmWriter(PictureWriter):
    """Writes pictures to an MP4 file of H.264, 8 bits, BT.709: proxies, and films of our own making."""

    def __init__(
        self,
        path: Path,
        *,
        rate: Fraction,
        size: tuple[int, int],
        quality: int = 18,
        preset: str = "veryfast",
        threads: int = 0,
        entries_every: int | None = None,
    ) -> None:
        """`size` is even; `quality` as x264's constant rate factor.

        `entries_every`: how many frames apart decoding can begin at most; None: as the encoder likes (250). At 1 every
        frame is read by itself: a larger file.
        """
        if size[0] % 2 or size[1] % 2 or min(size) < 2:
            raise MediaError(f"A film of {size[0]}x{size[1]} cannot be written: width and height must be even.")
        options = {"crf": str(quality), "preset": preset}
        if entries_every is not None:
            options["g"] = str(entries_every)
        if entries_every == 1:
            options["tune"] = "fastdecode"
        super().__init__(
            path,
            coding=Coding(codec="libx264", pixels="yuv420p", options=tuple(options.items()), threads=threads),
            rate=rate,
            size=size,
            colour=BT709,
            container="mp4",
            options={"movflags": "+faststart+write_colr"},
        )


def _refused(coding: Coding) -> str:
    given = ", ".join(f"{name}={value}" for name, value in coding.options)
    return f"The encoder {coding.codec} does not take these options: {given}."


def carries_alpha(path: Path) -> bool:
    """Whether a film of this name can have parts that are not there."""
    return path.suffix.lower() == ".mov"


def what_is_not_carried(path: Path) -> str:
    """Says what becomes of what is clear in a film that cannot have it."""
    return f"{path.name} cannot carry what is clear: black stands there. Name it .mov to keep it clear."
