"""Films in segments: each coded by itself from a key frame on, and bound together without coding again.

A segment is a film of pictures alone (MOV, whatever it is bound to). Bound, they are the same bytes of picture as when
all were made in a row.
"""

import contextlib
from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path

import av
import numpy as np
from av.container import InputContainer, OutputContainer
from numpy.typing import NDArray

from clevrin.core.document.colour import Colour
from clevrin.core.errors import MediaError
from clevrin.core.media.coding import Coding
from clevrin.core.media.formats import Format
from clevrin.core.media.writing import SOUND_RATE, PictureWriter
from clevrin.core.outputs import put, writing_error

Sound = NDArray[np.float32]
_MP4 = ("libx264", "libx265", "libsvtav1", "h264", "hevc", "libdav1d", "av1")
_CARRIED_BY = {"ffv1": "matroska", **dict.fromkeys(_MP4, "mp4")}
"""What segments of a codec are; MOV of the others."""


class SegmentWriter(PictureWriter):
    """Writes the pictures of a segment."""

    def __init__(self, path: Path, *, coding: Coding, rate: Fraction, size: tuple[int, int], colour: Colour) -> None:
        container, options = _carrier(coding.codec)
        super().__init__(path, coding=coding, rate=rate, size=size, colour=colour, container=container, options=options)


@dataclass(frozen=True, kw_only=True)
class Bound:
    """A segment that is bound: its film, and how many frames it has."""

    path: Path
    frames: int


def _carrier(codec: str) -> tuple[str, dict[str, str]]:
    """What a segment of a codec is, and how it is written."""
    kind = _CARRIED_BY.get(codec, "mov")
    return kind, {"movflags": "+write_colr"} if kind != "matroska" else {}


def _segment(part: Path, codec: str) -> OutputContainer:
    kind, options = _carrier(codec)
    return av.open(str(part), "w", format=kind, options=options)


def is_whole(path: Path, frames: int) -> bool:
    """Whether a segment is there with all of its frames, and begins by itself."""
    try:
        with av.open(str(path)) as film:
            row = [(packet.pts, packet.is_keyframe) for packet in _packets(film)]
    except (OSError, av.FFmpegError, IndexError):
        return False
    return len(row) == frames and row[0][1] and len({pts for pts, _ in row}) == frames


def bind_film(
    part: Path,
    segments: Sequence[Bound],
    kind: Format,
    rate: Fraction,
    sound_of: Callable[[int, int], Iterator[Sound]] | None,
    done: Callable[[int], None],
) -> None:
    """Binds segments to a film; `sound_of` gives the sound from one frame up to another, in blocks (n, 2).

    `done` is told how many frames are bound. Raises `MediaError` where a segment does not fit the first one, `OSError`.
    """
    options = {"fflags": "+bitexact"}  # no number of chance in it
    if kind.container in ("mp4", "mov"):
        options["movflags"] = "+faststart+write_colr"
    late = max(_reordered(each, rate) for each in segments)
    with (
        av.open(str(part), "w", format=kind.container, options=options) as out,
        av.open(str(segments[0].path)) as first,
    ):
        template = first.streams.video[0]
        extra = template.codec_context.extradata
        video = out.add_stream_from_template(template, opaque=True)
        assert isinstance(video, av.VideoStream)
        if kind.tag:
            video.codec_context.codec_tag = kind.tag
        video.time_base = 1 / rate
        sound = _SoundTrack(out, kind) if sound_of is not None else None
        at = 0
        for segment in segments:
            if sound is not None and sound_of is not None:
                for block in sound_of(at, at + segment.frames):
                    sound.write(block)
            with av.open(str(segment.path)) as film:
                if film.streams.video[0].codec_context.extradata != extra:
                    raise MediaError(f"{segment.path.name} was coded otherwise than the first part of the film.")
                for number, packet in enumerate(_packets(film)):
                    _mux(out, packet, video, rate, _number(packet, rate) + at, number + at - late)
            at += segment.frames
            done(at)
        if sound is not None:
            sound.finish()


def bind_pictures(folder: Path, segments: Sequence[Bound], suffix: str, done: Callable[[int], None]) -> None:
    """Writes the frames of segments as files of their own, numbered from 0. Raises `OSError`."""
    number = 0
    for segment in segments:
        with av.open(str(segment.path)) as film:
            for packet in _packets(film):
                (folder / f"{number:06d}{suffix}").write_bytes(bytes(packet))
                number += 1
        done(number)


def cut_out_segment(film: Path, first: int, frames: int, path: Path, rate: Fraction) -> bool:
    """Takes a stretch of frames of a bound film as a segment again, as one was bound; whether it could be had."""
    with contextlib.suppress(OSError, av.FFmpegError, MediaError), av.open(str(film)) as source:
        stream = source.streams.video[0]
        assert stream.time_base is not None
        source.seek(round(first / rate / stream.time_base), stream=stream)
        own: list[tuple[av.Packet, int]] = []
        for packet in _packets(source):
            number = _number(packet, rate) - first
            if 0 <= number < frames:
                own.append((packet, number))
            if len(own) == frames:
                break
        if len(own) != frames or not own[0][0].is_keyframe or own[0][1] != 0:
            return False
        late = max(at - number for at, (_, number) in enumerate(own))
        with put(path) as part, _segment(part, stream.codec_context.name) as out:
            video = out.add_stream_from_template(stream, opaque=True)
            assert isinstance(video, av.VideoStream)
            video.time_base = 1 / rate
            for at, (packet, number) in enumerate(own):
                _mux(out, packet, video, rate, number, at - late)
        return True
    return False


def _reordered(segment: Bound, rate: Fraction) -> int:
    """By how many frames pictures are coded before they are shown, at most: so much earlier decoding begins."""
    with av.open(str(segment.path)) as film:
        return max(at - _number(packet, rate) for at, packet in enumerate(_packets(film)))


def _number(packet: av.Packet, rate: Fraction) -> int:
    """Which frame of its film a packet is."""
    assert packet.pts is not None and packet.time_base is not None
    return round(packet.pts * packet.time_base * rate)


def _mux(out: OutputContainer, packet: av.Packet, stream: av.VideoStream, rate: Fraction, pts: int, dts: int) -> None:
    packet.stream, packet.time_base = stream, 1 / rate
    packet.pts, packet.dts, packet.duration = pts, dts, 1
    out.mux(packet)


def _packets(film: InputContainer) -> Iterator[av.Packet]:
    for packet in film.demux(film.streams.video[0]):
        if packet.dts is not None and packet.size:
            yield packet


class _SoundTrack:
    """The sound of a film or of a file of sound alone."""

    def __init__(self, out: OutputContainer, kind: Format) -> None:
        self._out, self._samples = out, 0
        stream = out.add_stream(kind.sound, rate=SOUND_RATE, layout="stereo")
        assert isinstance(stream, av.AudioStream)
        self._stream = stream
        self._deep = kind.sound in ("pcm_s24le", "flac")
        if self._deep:
            stream.format = "s32"

    def write(self, samples: Sound) -> None:
        """Appends (n, 2) float32, -1 to 1."""
        if self._deep:
            coded = (np.clip(samples, -1, 1 - 2.0**-23) * np.float64(2**31)).astype(np.int64)
            packed = np.ascontiguousarray(coded.astype(np.int32).reshape(1, -1))
            frame = av.AudioFrame.from_ndarray(packed, format="s32", layout="stereo")
        else:
            frame = av.AudioFrame.from_ndarray(np.ascontiguousarray(samples.T), format="fltp", layout="stereo")
        frame.sample_rate, frame.pts, frame.time_base = SOUND_RATE, self._samples, Fraction(1, SOUND_RATE)
        self._samples += len(samples)
        self._out.mux(self._stream.encode(frame))

    def finish(self) -> None:
        self._out.mux(self._stream.encode(None))


def write_sound(path: Path, kind: Format, blocks: Iterable[Sound], never: Iterable[Path] = ()) -> None:
    """Writes a file of sound alone; it is whole or absent. Raises `MediaError`."""
    try:
        with put(path, never) as part, av.open(str(part), "w", format=kind.container) as out:
            track = _SoundTrack(out, kind)
            for block in blocks:
                track.write(block)
            track.finish()
    except OSError as error:
        raise writing_error(path, error) from error
