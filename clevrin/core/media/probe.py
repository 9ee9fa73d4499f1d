"""What a footage file is, and by what it is known again."""

import hashlib
import os
import time
from fractions import Fraction
from pathlib import Path

import av

from clevrin.core.byte_cache import ByteCache
from clevrin.core.document import MediaFacts
from clevrin.core.document.value import bounded_rate
from clevrin.core.errors import MediaError
from clevrin.core.media.door import (
    MOST_SIDE,
    frames_of,
    open_container,
    packets,
    picture_stream,
    regular_file,
    told,
)
from clevrin.core.media.index import FrameIndex, index_frames
from clevrin.core.media.planes import colour_of, depth_of, says_its_colour
from clevrin.core.media.shape import quarter_turns, square_size

_SAMPLE_BYTES = 1024 * 1024


def probe(path: Path, index: FrameIndex | None = None) -> MediaFacts:
    """The facts of a film; reads the packets once (unless given the index) and decodes one frame.

    Raises `MediaError` with a sentence for anything that is not a film.
    """
    index = index or index_frames(path)
    with open_container(path) as container, told(path):
        stream = picture_stream(container, path)
        frame = _first_frame(container, stream, path)
        rotation = quarter_turns(frame) * 90
        aspect = stream.sample_aspect_ratio
        width, height = square_size(stream.width, stream.height, aspect)
        square = (width, height) == (stream.width, stream.height)
        if rotation % 180:
            width, height = height, width
        if max(width, height) > MOST_SIDE:
            raise MediaError(f"{path.name} shows pictures of {width}x{height}: more than can be handled.")
        sounds = [each for each in container.streams.audio if each.codec_context is not None]
        return MediaFacts(
            width=width,
            height=height,
            rate=index.rate,
            meant=index.meant if index.variable else None,
            variable=index.variable,
            frames=index.frames,
            seconds=round(float(index.times_s[-1]) + float(1 / index.rate), 6),
            rotation=rotation,
            codec=stream.codec_context.name,
            pixel_format=stream.codec_context.pix_fmt or "unknown",
            sound=bool(sounds),
            depth=depth_of(frame),
            colour=colour_of(frame),
            tagged=says_its_colour(frame),
            interlaced=frame.interlaced_frame,
            aspect=Fraction(1) if square else bounded_rate(Fraction(aspect)),
            channels=sounds[0].codec_context.channels if sounds else 0,
        )


def _first_frame(container: av.container.InputContainer, stream: av.VideoStream, path: Path) -> av.VideoFrame:
    for packet in packets(container, stream):
        for frame in frames_of(packet):
            assert isinstance(frame, av.VideoFrame)
            return frame
    raise MediaError(f"{path.name} has no frame that can be read.")


_FRESH_NS = 2_000_000_000
_fingerprints = ByteCache(1 << 20)
"""What files were known by when they were looked at last, by where they lie on the disk and when they were changed."""


def fingerprint(path: Path) -> str:
    """What a file is known by wherever it lies: a hash of its size, its start, middle and end.

    Raises `MediaError`. Costs a few milliseconds whatever the size, and next to nothing where it was asked for before
    and the file was not changed since.
    """
    with os.fdopen(regular_file(path), "rb") as file:
        try:
            stat = os.fstat(file.fileno())
            key = stat.st_dev, stat.st_ino, stat.st_size, stat.st_mtime_ns, stat.st_ctime_ns
            known: str | None = _fingerprints.get(key)
            if known is not None:
                return known
            digest = hashlib.sha256(str(stat.st_size).encode())
            for start in (0, max(0, stat.st_size // 2 - _SAMPLE_BYTES // 2), max(0, stat.st_size - _SAMPLE_BYTES)):
                file.seek(start)
                digest.update(file.read(_SAMPLE_BYTES))
        except OSError as error:
            raise MediaError(f"{path} cannot be read: {(error.strerror or str(error)).lower()}.") from error
    found = digest.hexdigest()[:32]
    # What was changed a moment ago may be changed again at the same time of the clock.
    if time.time_ns() - max(stat.st_mtime_ns, stat.st_ctime_ns) > _FRESH_NS:
        _fingerprints.put(key, found)
    return found
