"""Frame-exact reading: any frame by its number, forward at the decoder's speed, short steps back from memory."""

from collections.abc import Iterator
from pathlib import Path
from types import TracebackType
from typing import Self

import av
import numpy as np
from numpy.typing import NDArray

from clevrin.core.errors import MediaError
from clevrin.core.media.frame_memory import FrameMemory
from clevrin.core.media.index import FrameIndex, index_frames, open_container, picture_stream
from clevrin.core.media.picture import Picture
from clevrin.core.media.probe import quarter_turns

_OWN_BYTES = 64 * 1024 * 1024
"""How much of what it has decoded a reader keeps that shares no memory with others."""
_LUMA_FIRST = {"yuv420p", "yuvj420p", "yuv422p", "yuvj422p", "yuv444p", "yuvj444p", "nv12", "gray"}
_FULL_RANGE, _LIMITED_RANGE = 2, 1
_BT709 = 1
_JUMP_FRAMES = 24
"""An entry has to be this far ahead before jumping to it is quicker than reading on."""


class FilmReader:
    """Reads pictures of one film; not to be shared between threads. Close it, or use it in a `with`."""

    def __init__(
        self,
        path: Path,
        index: FrameIndex | None = None,
        memory: FrameMemory | None = None,
        *,
        one_thread: bool = False,
    ) -> None:
        """Raises `MediaError` for a file that is not a film.

        `index` saves reading the packets again; `memory` is where decoded frames are kept, which readers may share.
        With `one_thread` a decoder is slower, and takes a third less memory.
        """
        self.path = path
        self.index = index or index_frames(path)
        self._number = {int(stamp): k for k, stamp in enumerate(self.index.stamps)}
        self._one_thread = one_thread
        self._container, self._stream = _opened(path, one_thread)
        self._decoded: Iterator[tuple[int, av.VideoFrame]] = iter(())
        self._next = -1  # the frame that decoding on would give; -1: unknown
        self._memory = memory or FrameMemory(_OWN_BYTES, _OWN_BYTES)
        self._mine = self._memory.admit()
        self._size = self._stream.width, self._stream.height

    @property
    def frames(self) -> int:
        return self.index.frames

    def read(self, frame: int) -> Picture:
        """The picture with this number, upright. Raises `IndexError` beyond the film, `MediaError` if unreadable."""
        return _picture(self._sized(self._frame(frame)))

    def read_luma(self, frame: int) -> NDArray[np.uint8]:
        """The luma plane alone (h, w) uint8, upright, in the file's own range: cheaper, for measuring."""
        return _luma(self._sized(self._frame(frame)))

    def read_whole_luma(self, frame: int) -> NDArray[np.uint8] | None:
        """The luma plane of a frame, or None where the file is damaged there and its neighbour would be shown."""
        try:
            found = self._frame(frame)
        except MediaError:
            return None
        whole = self._memory.get(self._mine, frame) is not None and not found.is_corrupt
        return _luma(self._sized(found)) if whole else None

    def _sized(self, frame: av.VideoFrame) -> av.VideoFrame:
        """A frame at the size that the film states, which may change in its middle."""
        if (frame.width, frame.height) == self._size:
            return frame
        sized: av.VideoFrame = frame.reformat(width=self._size[0], height=self._size[1])
        return sized

    def close(self) -> None:
        self._memory.forget(self._mine)
        self._decoded = iter(())
        self._container.close()

    def __enter__(self) -> Self:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self.close()

    def _frame(self, number: int) -> av.VideoFrame:
        if not 0 <= number < self.frames:
            raise IndexError(f"frame {number} of a film with {self.frames}")
        kept = self._memory.get(self._mine, number)
        if kept is not None:
            return kept
        entry = self.index.entry_before(number)
        ahead = self._next >= 0 and self._next <= number
        if not ahead or entry > self._next + _JUMP_FRAMES:
            self._seek(entry)
        found = self._decode_to(number)
        if found is None:
            # An entry whose following frames need earlier ones (an open group), or a damaged stretch.
            self._seek(self.index.entry_before(max(0, entry - 1)))
            found = self._decode_to(number)
        if found is None:
            # A container that cannot be entered where it says (a transport stream pieced together): from the start.
            self._reopen()
            found = self._decode_to(number, or_later=True)
        if found is None:
            raise MediaError(f"{self.path.name} is damaged: frame {number} cannot be read.")
        return found

    def _seek(self, entry: int) -> None:
        stamp = int(self.index.stamps[entry])
        try:
            self._container.seek(stamp, stream=self._stream, backward=True)
        except OSError:
            self._reopen()
            return
        self._decoded = self._run()
        self._next = entry

    def _reopen(self) -> None:
        self._container.close()
        self._container, self._stream = _opened(self.path, self._one_thread)
        self._decoded = self._run()
        self._next = 0

    def _run(self) -> Iterator[tuple[int, av.VideoFrame]]:
        """Decodes on from where the container stands, numbering frames by their time stamps."""
        for frame in _readable_frames(self._container, self._stream):
            number = self._number.get(frame.pts if frame.pts is not None else -1)
            if number is None and frame.pts is not None:
                number = int(np.searchsorted(self.index.stamps, frame.pts))
                number = min(number, self.frames - 1)
            if number is not None:
                yield number, frame

    def _decode_to(self, wanted: int, or_later: bool = False) -> av.VideoFrame | None:
        """The wanted frame; where the decoder leaves it out, its predecessor, or the next one with `or_later`."""
        last: av.VideoFrame | None = None
        for number, frame in self._decoded:
            self._next = number + 1
            self._memory.put(self._mine, number, frame)
            if number >= wanted:
                if number == wanted or (last is None and or_later):
                    return frame
                # A frame that the decoder left out (a damaged one) is shown as its predecessor.
                return last
            last = frame
        self._next = -1
        return last


def _opened(path: Path, one_thread: bool) -> tuple[av.container.InputContainer, av.VideoStream]:
    container = open_container(path)
    stream = picture_stream(container, path)
    if one_thread:
        stream.codec_context.thread_count = 1
    else:
        stream.thread_type = "AUTO"
    return container, stream


def _readable_frames(container: av.container.InputContainer, stream: av.VideoStream) -> Iterator[av.VideoFrame]:
    """All frames that can be decoded, to the end or to where the file breaks off; damaged ones do not come."""
    packets = container.demux(stream)
    while True:
        try:
            packet = next(packets)
        except (StopIteration, OSError, ValueError):  # PyAV's errors are one or the other
            return
        try:
            yield from packet.decode()
        except (OSError, ValueError):
            continue


def _luma(frame: av.VideoFrame) -> NDArray[np.uint8]:
    if frame.format.name not in _LUMA_FIRST:
        frame = frame.reformat(format="gray")
    return _turned(_plane(frame, 0, frame.width, frame.height), quarter_turns(frame))


def _picture(frame: av.VideoFrame) -> Picture:
    turns = quarter_turns(frame)
    full = frame.color_range == _FULL_RANGE or frame.format.name.startswith("yuvj")
    # Files that do not say have BT.601 colours at standard definition and BT.709 above, by custom.
    matrix = frame.colorspace if frame.colorspace != 2 else (_BT709 if frame.height > 576 else 5)
    if frame.format.name != "yuv420p" or full or matrix != _BT709:
        frame = frame.reformat(
            format="yuv420p",
            src_colorspace=matrix if matrix in (1, 4, 5, 7) else 5,
            dst_colorspace=_BT709,
            src_color_range=_FULL_RANGE if full else _LIMITED_RANGE,
            dst_color_range=_LIMITED_RANGE,
        )
    half = (frame.width + 1) // 2, (frame.height + 1) // 2
    planes = [_plane(frame, 0, frame.width, frame.height), _plane(frame, 1, *half), _plane(frame, 2, *half)]
    y, u, v = (_turned(plane, turns) for plane in planes)
    return Picture(y=y, u=u, v=v)


def _plane(frame: av.VideoFrame, number: int, width: int, height: int) -> NDArray[np.uint8]:
    plane = frame.planes[number]
    rows = np.frombuffer(plane, np.uint8).reshape(-1, plane.line_size)
    return rows[:height, :width]


def _turned(plane: NDArray[np.uint8], quarter_turns: int) -> NDArray[np.uint8]:
    if quarter_turns == 0:
        return plane
    return np.ascontiguousarray(np.rot90(plane, quarter_turns))
