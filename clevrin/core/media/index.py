"""Where the frames of a film lie: time stamps and entry points, read from its packets without decoding."""

from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from clevrin.core.document.value import bounded_rate
from clevrin.core.errors import MediaError
from clevrin.core.media.door import frames_of, open_container, packets, picture_stream, told

_MOST_FRAMES = 10_000_000


@dataclass(frozen=True, kw_only=True, eq=False)
class FrameIndex:
    """Of every frame, in the order shown: `stamps` in ticks of `tick_s` seconds, and whether it is an entry.

    Both arrays have the shape (frames,), are int64 and bool, and are read-only. `rate` is the mean rate, `meant` that
    at which the camera took them where it varies: a phone leaves frames out. `unordered`: pictures bear the stamps of
    the order in which they lie in the file, which is not the one in which they are shown; they are told by counting.
    """

    stamps: NDArray[np.int64]
    entries: NDArray[np.bool_]
    tick_s: Fraction
    rate: Fraction
    meant: Fraction
    variable: bool
    unordered: bool = False

    @property
    def frames(self) -> int:
        return len(self.stamps)

    @property
    def times_s(self) -> NDArray[np.float64]:
        """When each frame is shown, in seconds from the first one."""
        return (self.stamps - self.stamps[0]) * float(self.tick_s)

    def entry_before(self, frame: int) -> int:
        """The last frame at or before `frame` at which decoding can begin."""
        found = np.flatnonzero(self.entries[: frame + 1])
        return int(found[-1]) if len(found) else 0


def index_frames(path: Path) -> FrameIndex:
    """Reads the index of a film; costs one pass over the file without decoding. Raises `MediaError`.

    What cannot be read of a file that is cut off is left out.
    """
    with open_container(path) as container, told(path):
        stream = picture_stream(container, path)
        stamps: list[int] = []
        entries: list[bool] = []
        unordered = bool(stream.codec_context.has_b_frames)
        for packet in packets(container, stream):
            if packet.size and not packet.is_discard:
                # A decoder that puts pictures in order, and a file that says that they lie in it: one of them is wrong.
                unordered &= packet.pts is not None and packet.pts == packet.dts
                stamps.append(packet.pts if packet.pts is not None else packet.dts)
                entries.append(packet.is_keyframe)
            if len(stamps) > _MOST_FRAMES:
                raise MediaError(f"{path.name} has more than {_MOST_FRAMES} frames: more than can be handled.")
        tick_s = Fraction(stream.time_base or Fraction(1, 90_000))
        stated = stream.average_rate or stream.guessed_rate
    if any(stamp is None for stamp in stamps):
        stamps, entries = _stamps_by_decoding(path)
    if not stamps:
        raise MediaError(f"{path.name} has no frame that can be read.")
    order = np.argsort(np.array(stamps, np.int64), kind="stable")
    sorted_stamps = np.array(stamps, np.int64)[order]
    sorted_entries = np.array(entries, bool)[order]
    fresh = np.concatenate([[True], np.diff(sorted_stamps) > 0])
    sorted_stamps, sorted_entries = sorted_stamps[fresh], sorted_entries[fresh]
    rate, variable = _pace(sorted_stamps, tick_s, stated, path)
    sorted_stamps.flags.writeable = sorted_entries.flags.writeable = False
    return FrameIndex(
        stamps=sorted_stamps,
        entries=sorted_entries,
        tick_s=tick_s,
        rate=rate,
        meant=_meant(sorted_stamps, tick_s) if variable else rate,
        variable=variable,
        unordered=unordered,
    )


def _stamps_by_decoding(path: Path) -> tuple[list[int], list[bool]]:
    """For the few files whose packets bear no time stamps."""
    stamps: list[int] = []
    entries: list[bool] = []
    with open_container(path) as container, told(path):
        stream = picture_stream(container, path)
        for packet in packets(container, stream):
            for frame in frames_of(packet):
                stamps.append(frame.pts if frame.pts is not None else len(stamps))
                entries.append(frame.key_frame)
    return stamps, entries


def _meant(stamps: NDArray[np.int64], tick_s: Fraction) -> Fraction:
    """The rate of which a film of varying rate has most frames, others left out: steps of the usual one counted."""
    steps = np.diff(stamps)
    counted = int(np.maximum(1, np.round(steps / np.median(steps))).sum())
    rate = Fraction(counted) / ((int(stamps[-1]) - int(stamps[0])) * tick_s)
    return bounded_rate(min(max(rate, Fraction(1, 10)), Fraction(1000)))


def _pace(stamps: NDArray[np.int64], tick_s: Fraction, stated: Fraction | None, path: Path) -> tuple[Fraction, bool]:
    """The rate, and whether it varies: whether any frame strays from an even grid by a tenth of a frame."""
    if len(stamps) < 2:
        rate = stated or Fraction(30)
        variable = False
    else:
        length = int(stamps[-1]) - int(stamps[0])
        step = length / (len(stamps) - 1)
        strayed = np.abs((stamps - stamps[0]).astype(float) - step * np.arange(len(stamps)))
        variable = bool(strayed.max() > max(1.5, 0.1 * step))
        mean = Fraction(len(stamps) - 1) / (length * tick_s)
        # Coarse ticks (1 ms in Matroska) blur the mean, of short films most: where the file states nearly the
        # same, it is right.
        blur = max(0.002, 1.5 / length)
        agrees = stated is not None and stated > 0 and abs(stated / mean - 1) < blur
        rate = stated if agrees and not variable and stated is not None else mean
    if not Fraction(1, 10) <= rate <= 1000:
        raise MediaError(f"{path.name} says that it has {float(rate):g} frames a second: it is damaged.")
    return bounded_rate(Fraction(rate)), variable
