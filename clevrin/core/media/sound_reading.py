"""Reading the sound of a take as stereo samples at Clevrin's own rate, each at its own instant."""

from collections import OrderedDict, deque
from collections.abc import Iterator
from contextlib import closing
from pathlib import Path

import av
import numpy as np
from numpy.typing import NDArray

from clevrin.core.errors import CancelledError, MediaError
from clevrin.core.media.door import open_container, packets, told
from clevrin.core.media.writing import SOUND_RATE

_STRAYS_S = 0.03
"""Stamps that are off by less follow from coarse ticks; by more, something is missing before them."""
_HOLE_S = 0.1
_WARM_UP_S = 0.5
_FARTHEST_S = 2.0
"""As far ahead an open film is read on to; farther it is quicker to look for the place."""
_KEPT_S = 6.0
_BACKWARD_S = 4.0
_MOST_OPEN = 4
_HALF_POWER = float(np.sqrt(0.5))
_SIDES = {
    **{name: (1.0, 0.0) for name in ("FL", "FLC", "TFL")},
    **{name: (0.0, 1.0) for name in ("FR", "FRC", "TFR")},
    **{name: (_HALF_POWER, 0.0) for name in ("SL", "BL", "TBL", "WL")},
    **{name: (0.0, _HALF_POWER) for name in ("SR", "BR", "TBR", "WR")},
    **{name: (_HALF_POWER, _HALF_POWER) for name in ("FC", "BC", "TFC", "TBC", "TC")},
    "LFE": (0.0, 0.0),
    "LFE2": (0.0, 0.0),
}
"""How much of a channel goes left and right (ITU-R BS.775)."""


def read_sound(path: Path, start_s: float, samples: int, troubles: set[str] | None = None) -> NDArray[np.float32]:
    """(samples, 2) float32 from `start_s` seconds after the film's first picture; silence where there is none.

    Many channels are folded by the coefficients of ITU-R BS.775, brought down so that none goes over full scale;
    a single one sounds on both sides as it is. Where sound is damaged or missing there is silence, and what follows
    stands at its own instant; a sentence is added to `troubles`. Raises `MediaError` for a file that cannot be opened,
    `CancelledError` when stopped.
    """
    with closing(SoundReader(troubles)) as reader:
        return reader.read(path, start_s, samples)


class SoundReader:
    """Reads sounds piece by piece: the next piece comes from the open film, without a seam and without looking for it.

    At most four films are open, with six seconds of the sound of each, so that pieces may overlap and go backward. For
    one thread at a time. Sentences about damaged sound are added to `troubles`.
    """

    def __init__(self, troubles: set[str] | None = None) -> None:
        self.troubles = troubles
        self._open: OrderedDict[Path, _Piecewise] = OrderedDict()

    def close(self) -> None:
        while self._open:
            self._open.popitem()[1].close()

    def read(self, path: Path, start_s: float, samples: int) -> NDArray[np.float32]:
        """As `read_sound` gives it; what is asked for twice in a row is the same, bit for bit."""
        there = self._open.pop(path, None)
        with told(path):
            try:
                there = self._at(path, there, start_s)
                result, damaged = there.read(start_s, samples)
            except BaseException:
                if there is not None:
                    there.close()
                raise
        self._open[path] = there
        if len(self._open) > _MOST_OPEN:
            self._open.popitem(last=False)[1].close()
        if damaged and self.troubles is not None:
            self.troubles.add(f"The sound of {path.name} is damaged or has holes: there is silence there.")
        return result

    @staticmethod
    def _at(path: Path, there: "_Piecewise | None", start_s: float) -> "_Piecewise":
        """A film that can be read on from an instant: the one that is open, or it is opened anew."""
        if there is not None and there.reaches(start_s):
            return there
        backward = there is not None and 0 < there.first_s - start_s < _BACKWARD_S
        if there is not None:
            there.close()
        return _Piecewise(path, max(0.0, start_s - _BACKWARD_S) if backward else start_s)


class _Piecewise:
    """An open film whose sound is read on, with what was read last."""

    def __init__(self, path: Path, start_s: float) -> None:
        self._reading = _Reading(path)
        self._coming = self._reading.blocks(start_s) if self._reading.stream is not None else iter(())
        self._held: deque[tuple[float, NDArray[np.float32]]] = deque()
        self.first_s = start_s
        """Nothing is there from before."""
        self._read_to_s = start_s

    def close(self) -> None:
        self._reading.close()

    def reaches(self, start_s: float) -> bool:
        return self.first_s <= start_s <= self._read_to_s + _FARTHEST_S

    def read(self, start_s: float, samples: int) -> tuple[NDArray[np.float32], bool]:
        """Samples from an instant that it reaches, and whether there was damage on the way to them."""
        result = np.zeros((samples, 2), np.float32)
        for at_s, block in self._blocks(start_s):
            at = round((at_s - start_s) * SOUND_RATE)
            if at >= samples:
                break
            _place(result, block, at)
        self._forget(start_s - _KEPT_S)
        return result, self._reading.damaged

    def _blocks(self, start_s: float) -> Iterator[tuple[float, NDArray[np.float32]]]:
        yield from tuple(self._held)
        for at_s, block in self._coming:
            self._held.append((at_s, block))
            self._read_to_s = at_s + len(block) / SOUND_RATE
            self._forget(start_s - _KEPT_S)
            yield at_s, block

    def _forget(self, before_s: float) -> None:
        while self._held and self._held[0][0] + len(self._held[0][1]) / SOUND_RATE < before_s:
            at_s, block = self._held.popleft()
            self.first_s = max(self.first_s, at_s + len(block) / SOUND_RATE)


def sound_blocks(path: Path) -> Iterator[NDArray[np.float32]]:
    """All sound of a file, (n, 2) float32 at 48,000 samples a second, a second at a time. Raises `MediaError`."""
    samples, reader = round(sound_seconds(path) * SOUND_RATE), SoundReader()
    try:
        for at in range(0, samples, SOUND_RATE):
            yield reader.read(path, at / SOUND_RATE, min(SOUND_RATE, samples - at))
    finally:
        reader.close()


def sound_seconds(path: Path) -> float:
    """How long the sound of a file is; raises `MediaError` where it has none."""
    with told(path), closing(_Reading(path)) as reading:
        if reading.stream is None:
            raise MediaError(f"{path.name} has no sound.")
        return reading.seconds


class _Reading:
    """The sound of one file on its way."""

    def __init__(self, path: Path) -> None:
        self._container = open_container(path, sounds=True)
        self.damaged = False
        streams = [each for each in self._container.streams.audio if each.codec_context is not None]
        self.stream = streams[0] if streams else None
        pictures = self._container.streams.video[0] if self._container.streams.video else None
        self._zero_s = 0.0
        if pictures is not None and pictures.start_time is not None and pictures.time_base is not None:
            self._zero_s = float(pictures.start_time * pictures.time_base)

    @property
    def seconds(self) -> float:
        """How long it says that it is."""
        assert self.stream is not None
        if self.stream.duration is not None and self.stream.time_base is not None:
            return float(self.stream.duration * self.stream.time_base)
        return float(self._container.duration or 0) / 1e6

    def close(self) -> None:
        self._container.close()

    def blocks(self, start_s: float) -> Iterator[tuple[float, NDArray[np.float32]]]:
        """Stereo blocks with their instants in seconds from the first picture, from a little before `start_s` on."""
        assert self.stream is not None
        if start_s > 2 * _WARM_UP_S and self.stream.time_base:
            where = int((self._zero_s + start_s - _WARM_UP_S) / self.stream.time_base)
            try:
                self._container.seek(where, stream=self.stream, backward=True)
            except Exception:  # whatever the library says: from the start, then
                self._container.seek(0)
        resampler: av.AudioResampler | None = None
        layout: tuple[object, ...] = ()
        due_s: float | None = None
        for frame in self._frames():
            stamp_s = None if frame.pts is None else float(frame.pts * frame.time_base) - self._zero_s
            if due_s is None:
                due_s = 0.0 if stamp_s is None else stamp_s
            elif stamp_s is not None and abs(stamp_s - due_s) > _STRAYS_S:
                self.damaged = self.damaged or stamp_s - due_s > _HOLE_S
                due_s, resampler = stamp_s, None
            kind = frame.format.name, frame.layout.name, frame.sample_rate
            if resampler is None or kind != layout:
                resampler = av.AudioResampler(format="fltp", layout=frame.layout, rate=SOUND_RATE)
                layout = kind
            frame.pts = None
            sides = _sides(frame)
            for piece in resampler.resample(frame):
                block = (piece.to_ndarray().T @ sides).astype(np.float32)
                yield due_s, block
                due_s += len(block) / SOUND_RATE

    def _frames(self) -> Iterator[av.AudioFrame]:
        assert self.stream is not None
        for packet in packets(self._container, self.stream):
            try:
                decoded = packet.decode()
            except CancelledError:
                raise
            except EOFError:
                continue
            except MemoryError as error:
                raise MediaError("The sound asks for more memory than there is.") from error
            except Exception:  # a damaged packet: what follows may be whole
                self.damaged = True
                continue
            yield from decoded


def _sides(frame: av.AudioFrame) -> NDArray[np.float64]:
    """(channels, 2): how much of each channel goes left and right."""
    names = [channel.name for channel in frame.layout.channels]
    if len(names) == 1:
        return np.ones((1, 2))
    known = all(name in _SIDES for name in names)
    sides = np.array([_SIDES[name] for name in names]) if known else np.ones((len(names), 2))
    return sides / max(1.0, float(sides.sum(axis=0).max()))


def _place(result: NDArray[np.float32], block: NDArray[np.float32], at: int) -> None:
    first, last = max(0, at), min(len(result), at + len(block))
    if last > first:
        result[first:last] = block[first - at : last - at]
