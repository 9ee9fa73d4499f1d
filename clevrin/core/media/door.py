"""The one door through which films come in: what may be opened, and every trouble of the codec library as a sentence.

Files name other files: lists and playlists would have more opened than was asked for, whatever their endings. So a
film is opened by the descriptor of the regular file that was asked for, by a container format of a white list, and
the library is given no other way to reach anything.
"""

import contextlib
import os
import stat
from collections.abc import Callable, Iterator
from contextvars import ContextVar
from pathlib import Path

import av

from clevrin.core.errors import CancelledError, ClevrinError, MediaError

_CONTAINERS = "mov,matroska,avi,mpegts,mxf,mpeg,asf,flv,ogg,dv"
"""The formats, by the codec library's names, that hold nothing but what is in the file itself."""
MOST_SIDE = 16384
_MOST_PIXELS = 16384 * 8640
_LEAST_SIDE = 16
_THINNEST = 64
"""Pictures of which one side is so many times the other have nothing to be measured or resampled by."""

_stop: ContextVar[Callable[[], bool] | None] = ContextVar("stop", default=None)


@contextlib.contextmanager
def stopped_by(stop: Callable[[], bool]) -> Iterator[None]:
    """While the block runs, all reading of films on this thread ends with `CancelledError` once `stop` says so."""
    token = _stop.set(stop)
    try:
        yield
    finally:
        _stop.reset(token)


@contextlib.contextmanager
def told(path: Path) -> Iterator[None]:
    """Turns everything that the codec library may raise about a film into a `MediaError` with a sentence."""
    try:
        yield
    except ClevrinError:
        raise
    except MemoryError as error:
        raise MediaError(f"{path.name} asks for more memory than there is: it is damaged.") from error
    except Exception as error:  # PyAV raises nearly everything: OSError, ValueError, EOFError, AttributeError
        raise MediaError(f"{path.name} is not a film that can be read, or it is cut off.") from error


_SOUNDS = "wav,flac,mp3,aac"
"""What music comes in beside those; like those of films, none of these opens another file."""


def open_container(path: Path, *, sounds: bool = False) -> av.container.InputContainer:
    """Opens a film, or with `sounds` a file of sound alone as well; raises `MediaError` with a sentence."""
    kinds = f"{_CONTAINERS},{_SOUNDS}" if sounds else _CONTAINERS
    descriptor = regular_file(path)
    try:
        with told(path):
            return av.open(
                "fd:",
                metadata_errors="ignore",
                options={"fd": str(descriptor), "protocol_whitelist": "fd", "format_whitelist": kinds},
            )
    finally:
        os.close(descriptor)  # the library has one of its own


def regular_file(path: Path) -> int:
    """The descriptor of a file that is one and not empty; raises `MediaError`. Never waits for a fifo or a device."""
    try:
        descriptor = os.open(path, os.O_RDONLY | os.O_NONBLOCK | os.O_CLOEXEC)
    except FileNotFoundError as error:
        raise MediaError(f"{path} is not there.") from error
    except PermissionError as error:
        raise MediaError(f"{path} cannot be read: you have no permission.") from error
    except (OSError, ValueError) as error:  # a name with a zero byte in it is the latter
        reason = (getattr(error, "strerror", None) or str(error)).lower()
        raise MediaError(f"{path} cannot be opened: {reason}.") from error
    try:
        found = os.fstat(descriptor)
        if stat.S_ISDIR(found.st_mode):
            raise MediaError(f"{path} is a folder, not a film.")
        if not stat.S_ISREG(found.st_mode):
            raise MediaError(f"{path} is not a regular file: no film can be read from it.")
        if found.st_size == 0:
            raise MediaError(f"{path.name} is empty.")
    except BaseException:
        os.close(descriptor)
        raise
    return descriptor


def picture_stream(container: av.container.InputContainer, path: Path) -> av.VideoStream:
    """The stream with the pictures; raises `MediaError` where there is none or its pictures cannot be worked with."""
    with told(path):
        streams = [s for s in container.streams.video if not s.disposition & av.stream.Disposition.attached_pic]
        if not streams:
            kind = "only sound" if container.streams.audio else "no pictures"
            raise MediaError(f"{path.name} has {kind}: it is not a film.")
        stream = streams[0]
        if stream.codec_context is None:
            raise MediaError(f"{path.name} has pictures of a kind that cannot be read here.")
        _check_size(stream.width, stream.height, path)
        return stream


def _check_size(width: int, height: int, path: Path) -> None:
    size = f"{width}x{height}"
    if width <= 0 or height <= 0:
        raise MediaError(f"{path.name} says that its pictures are {size}: it is damaged.")
    if max(width, height) > MOST_SIDE or width * height > _MOST_PIXELS:
        raise MediaError(f"{path.name} has pictures of {size}: more than can be handled.")
    if min(width, height) < _LEAST_SIDE or max(width, height) > _THINNEST * min(width, height):
        raise MediaError(
            f"{path.name} has pictures of {size}: no camera's motion can be seen in so little (each side needs "
            f"{_LEAST_SIDE} pixels, and neither may be {_THINNEST} times the other)."
        )


def packets(container: av.container.InputContainer, stream: av.stream.Stream) -> Iterator[av.Packet]:
    """All packets of a stream, to the end or to where the file breaks off; raises `CancelledError` when stopped."""
    coming = iter(container.demux(stream))
    while True:
        heed_stop()
        try:
            packet = next(coming)
        except Exception:  # the end, or a stretch behind which nothing can be read, whatever the library calls it
            return
        yield packet


def frames_of(packet: av.Packet) -> list[av.VideoFrame] | list[av.AudioFrame]:
    """What a packet holds, decoded; nothing where it is damaged."""
    try:
        return packet.decode()
    except Exception:  # a damaged packet, by any of the library's errors: what follows may be whole
        return []


def heed_stop() -> None:
    """Raises `CancelledError` when reading on this thread was stopped; long reading asks it at every step."""
    stop = _stop.get()
    if stop is not None and stop():
        raise CancelledError("Stopped; what was finished is kept.")
