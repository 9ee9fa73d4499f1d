"""Frame-exact reading: any frame by its number, forward at the decoder's speed, short steps back from memory."""

from collections.abc import Iterator
from pathlib import Path

import av
import cv2
import numpy as np
from numpy.typing import NDArray

from clevrin.core.closing import Closes
from clevrin.core.errors import MediaError
from clevrin.core.media.colouring import shown
from clevrin.core.media.deinterlacing import deinterlaced
from clevrin.core.media.door import frames_of, open_container, packets, picture_stream, told
from clevrin.core.media.frame_memory import FrameMemory
from clevrin.core.media.index import FrameIndex, index_frames
from clevrin.core.media.picture import Picture, Plane, rgb_from_picture
from clevrin.core.media.planes import alpha_of, luma_of, picture_of
from clevrin.core.media.shape import quarter_turns, square_size

_OWN_BYTES = 12 * 1024 * 1024
"""How much of what it has decoded a reader keeps that shares no memory with others."""
_JUMP_FRAMES = 24
"""An entry has to be this far ahead before jumping to it is quicker than reading on."""


class FilmReader(Closes):
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
        with told(path):
            self._codec = self._stream.codec_context.name
            self._aspect = self._stream.sample_aspect_ratio
        self._decoded: Iterator[tuple[int, av.VideoFrame]] = iter(())
        self._next = -1  # the frame that decoding on would give; -1: unknown
        self._memory = memory or FrameMemory(_OWN_BYTES, _OWN_BYTES)
        self._mine = self._memory.admit()
        self._size = self._stream.width, self._stream.height

    @property
    def frames(self) -> int:
        return self.index.frames

    def read(self, frame: int) -> Picture:
        """The picture with this number, upright, its pixels as wide as in the film.

        Raises `IndexError` beyond the film, `MediaError` if unreadable.
        """
        self._check(frame)
        with told(self.path):
            found = self._whole(self._frame(frame))
            return _turned_picture(picture_of(found, self._codec), quarter_turns(found))

    def read_rgba(self, frame: int) -> NDArray[np.uint8]:
        """RGBA (h, w, 4), not multiplied, upright, as a screen of the standard range shows it; all there where the
        film does not say how much of each pixel is. Raises as `read` does.
        """
        self._check(frame)
        with told(self.path):
            found = self._whole(self._frame(frame))
            turns = quarter_turns(found)
            colours = rgb_from_picture(shown(_turned_picture(picture_of(found, self._codec), turns)))
            alpha = alpha_of(found)
            there = np.full(colours.shape[:2], 255, np.uint8) if alpha is None else _turned(alpha, turns)
            return np.dstack([colours, there])

    def read_share(self, frame: int) -> NDArray[np.uint8]:
        """How much of each pixel a film of an area says is there (h, w), upright: its alpha, or how white it is."""
        self._check(frame)
        with told(self.path):
            found = self._whole(self._frame(frame))
            alpha = alpha_of(found)
            if alpha is None and found.format.name.startswith("gray"):
                alpha = np.ascontiguousarray(found.to_ndarray(format="gray"))
            if alpha is not None:
                return _turned(alpha, quarter_turns(found))
        return np.ascontiguousarray(rgb_from_picture(shown(self.read(frame)))[..., 1])

    def read_luma(self, frame: int) -> NDArray[np.uint8]:
        """The luma plane alone (h, w) uint8, upright, of square pixels, in the file's own range: for measuring."""
        self._check(frame)
        with told(self.path):
            return self._luma(self._frame(frame))

    def read_whole_luma(self, frame: int) -> NDArray[np.uint8] | None:
        """The luma plane of a frame, or None where the file is damaged there and its neighbour would be shown."""
        self._check(frame)
        try:
            with told(self.path):
                found = self._frame(frame)
                whole = self._memory.get(self._mine, frame) is not None and not found.is_corrupt
                return self._luma(found) if whole else None
        except MediaError:
            return None

    def _luma(self, frame: av.VideoFrame) -> NDArray[np.uint8]:
        frame = self._whole(frame)
        luma = luma_of(frame)
        square = square_size(*self._size, self._aspect)
        if square != self._size:
            kernel = cv2.INTER_AREA if square[0] < self._size[0] else cv2.INTER_CUBIC
            luma = cv2.resize(luma, square, interpolation=kernel)
        return _turned(luma, quarter_turns(frame))

    def _whole(self, frame: av.VideoFrame) -> av.VideoFrame:
        """A frame at the size that the film states, which may change in its middle, without the combs of two fields."""
        if (frame.width, frame.height) != self._size:
            frame = frame.reformat(width=self._size[0], height=self._size[1])
        return deinterlaced(frame) if frame.interlaced_frame else frame

    def close(self) -> None:
        self._memory.forget(self._mine)
        self._decoded = iter(())
        self._container.close()

    def _check(self, number: int) -> None:
        if not 0 <= number < self.frames:
            raise IndexError(f"frame {number} of a film with {self.frames}")

    def _frame(self, number: int) -> av.VideoFrame:
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
        except Exception:  # whatever the library says: it can be read from its start
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
        """Decodes on from where the container stands, numbering frames by their time stamps, or by counting."""
        counted: int | None = None
        for frame in _readable_frames(self._container, self._stream):
            number = self._numbered(frame) if counted is None else counted
            if number is None or number >= self.frames:
                continue
            yield number, frame
            if self.index.unordered:
                counted = number + 1

    def _numbered(self, frame: av.VideoFrame) -> int | None:
        """A frame's number by its time stamp; None where it bears none."""
        if frame.pts is None:
            return None
        number = self._number.get(frame.pts)
        return min(int(np.searchsorted(self.index.stamps, frame.pts)), self.frames - 1) if number is None else number

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
    for packet in packets(container, stream):
        yield from frames_of(packet)


def _turned_picture(picture: Picture, turns: int) -> Picture:
    if turns == 0:
        return picture
    y, u, v = (_turned(plane, turns) for plane in picture.planes)
    across, down = picture.siting
    for _ in range(turns):
        across, down = down, 1 - across
    return Picture(y=y, u=u, v=v, siting=(across, down), colour=picture.colour)


def _turned(plane: Plane, quarter_turns: int) -> Plane:
    if quarter_turns == 0:
        return plane
    return np.ascontiguousarray(np.rot90(plane, quarter_turns))
