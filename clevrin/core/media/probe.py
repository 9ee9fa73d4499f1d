"""What a footage file is, and by what it is known again."""

import hashlib
from pathlib import Path

import av

from clevrin.core.document import MediaFacts
from clevrin.core.errors import MediaError
from clevrin.core.media.index import FrameIndex, index_frames, open_container, picture_stream

_SAMPLE_BYTES = 1024 * 1024


def probe(path: Path, index: FrameIndex | None = None) -> MediaFacts:
    """The facts of a film; reads the packets once (unless given the index) and decodes one frame.

    Raises `MediaError` with a sentence for anything that is not a film.
    """
    index = index or index_frames(path)
    with open_container(path) as container:
        stream = picture_stream(container, path)
        rotation = _rotation(container, stream, path)
        width, height = stream.width, stream.height
        if rotation % 180:
            width, height = height, width
        return MediaFacts(
            width=width,
            height=height,
            rate=index.rate,
            variable=index.variable,
            frames=index.frames,
            seconds=round(float(index.times_s[-1]) + float(1 / index.rate), 6),
            rotation=rotation,
            codec=stream.codec_context.name,
            pixel_format=stream.codec_context.pix_fmt or "unknown",
            sound=bool(container.streams.audio),
        )


def _rotation(container: av.container.InputContainer, stream: av.VideoStream, path: Path) -> int:
    try:
        for frame in container.decode(stream):
            return quarter_turns(frame) * 90
    except (OSError, ValueError) as error:
        raise MediaError(f"{path.name} has no frame that can be read.") from error
    raise MediaError(f"{path.name} has no frame that can be read.")


def quarter_turns(frame: av.VideoFrame) -> int:
    """How often the frame must be turned by 90° anticlockwise to stand upright: 0 to 3."""
    return round(frame.rotation / 90) % 4


def fingerprint(path: Path) -> str:
    """What a file is known by wherever it lies: a hash of its size, its start, middle and end.

    Raises `MediaError`. Costs a few milliseconds whatever the size.
    """
    digest = hashlib.sha256()
    try:
        size = path.stat().st_size
        digest.update(str(size).encode())
        with path.open("rb") as file:
            for start in (0, max(0, size // 2 - _SAMPLE_BYTES // 2), max(0, size - _SAMPLE_BYTES)):
                file.seek(start)
                digest.update(file.read(_SAMPLE_BYTES))
    except OSError as error:
        raise MediaError(f"{path} cannot be read: {(error.strerror or str(error)).lower()}.") from error
    return digest.hexdigest()[:32]
