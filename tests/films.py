"""Films for tests: numbered frames, known motion, odd containers, and files that are no films at all."""

import hashlib
import os
import shutil
import tempfile
from collections.abc import Callable, Sequence
from fractions import Fraction
from functools import lru_cache
from pathlib import Path

import av
import cv2
import numpy as np
from numpy.typing import NDArray

from clevrin.core.media import writing
from clevrin.core.media.picture import Picture, picture_from_rgb
from clevrin.core.media.reading import FilmReader
from clevrin.core.media.writing import FilmWriter

BITS = 12
_SOUND_RATE = 48_000
_FILMING_CODE = Path(__file__).read_bytes() + Path(writing.__file__).read_bytes()


def machine_folder() -> Path:
    """What test runs of this machine and user keep for the next ones; may be deleted at any time."""
    return Path(tempfile.gettempdir()) / f"clevrin-tests-{os.getuid()}"


def numbered_picture(number: int, size: tuple[int, int]) -> np.ndarray:
    """RGB with the number as twelve black or white bars over a grey ramp."""
    width, height = size
    rgb = np.empty((height, width, 3), np.uint8)
    rgb[:] = np.linspace(60, 200, width)[None, :, None]
    for bit in range(BITS):
        x0, x1 = (width * k // BITS for k in (bit, bit + 1))
        rgb[: height // 2, x0:x1] = 235 if number >> bit & 1 else 20
    return rgb


def read_number(y: np.ndarray) -> int:
    """The number in a luma plane."""
    height, width = y.shape
    row = y[height // 4] >> (8 if y.dtype == np.uint16 else 0)
    return sum(1 << bit for bit in range(BITS) if row[int(width * (bit + 0.5) / BITS)] > 128)


def numbered_film(
    path: Path,
    *,
    frames: int = 40,
    size: tuple[int, int] = (192, 108),
    rate: Fraction = Fraction(30),
    codec: str = "libx264",
    pixel_format: str = "yuv420p",
    stamps: Sequence[int] | None = None,
    keyframes: int = 12,
    sound: bool | NDArray[np.float64] = False,
    container: str | None = None,
    tagged: bool = True,
) -> Path:
    """A film whose frames bear their numbers. `stamps`: time of each frame in milliseconds (variable rate).

    `sound`: with a tone of 440 Hz, or with samples (n,) at 48,000 a second.

    `tagged`: it says that its colours are those of BT.709.
    """
    with av.open(str(path), "w", format=container) as out:
        stream = out.add_stream(codec, rate=rate)
        stream.width, stream.height = size
        stream.pix_fmt = pixel_format
        stream.gop_size = keyframes
        if tagged:
            context = stream.codec_context
            context.colorspace, context.color_primaries, context.color_trc = 1, 1, 1
        if stamps is not None:
            stream.time_base = stream.codec_context.time_base = Fraction(1, 1000)
        audio = (
            None
            if sound is False
            else out.add_stream("aac" if codec != "libvpx" else "libvorbis", rate=48000, layout="stereo")
        )
        if audio is not None:
            t = np.arange(round(48000 * frames / rate)) / 48000
            heard = 0.4 * np.sin(2 * np.pi * 440 * t) if isinstance(sound, bool) else sound
            tone = np.repeat(heard[None], 2, axis=0).astype(np.float32)
            for at in range(0, tone.shape[1] - 1023, 1024):
                block = av.AudioFrame.from_ndarray(np.ascontiguousarray(tone[:, at : at + 1024]), "fltp", "stereo")
                block.sample_rate, block.pts, block.time_base = 48000, at, Fraction(1, 48000)
                out.mux(audio.encode(block))
            out.mux(audio.encode(None))
        for number in range(frames):
            frame = av.VideoFrame.from_ndarray(numbered_picture(number, size), format="rgb24")
            frame.pts = number if stamps is None else stamps[number]
            frame.time_base = 1 / rate if stamps is None else Fraction(1, 1000)
            if tagged:
                frame.colorspace, frame.color_primaries, frame.color_trc = 1, 1, 1
            out.mux(stream.encode(frame))
        out.mux(stream.encode(None))
    return path


def clicks(at_s: Sequence[float], seconds: float) -> NDArray[np.float64]:
    """Short tones of 3 kHz at 48,000 samples a second, loudest at some instants: (samples,)."""
    made, t = np.zeros(round(seconds * _SOUND_RATE)), np.arange(-240, 240) / _SOUND_RATE
    for at in at_s:
        first = max(0, round(at * _SOUND_RATE) - 240)
        made[first : first + 480] += 0.8 * np.cos(2 * np.pi * 3000 * t) * np.exp(-((t * 900) ** 2))
    return made


def rotate_mp4(path: Path, degrees: int) -> None:
    """Writes a display rotation (anticlockwise, as phones do) into the header of an MP4's film track."""
    data = bytearray(path.read_bytes())
    at = data.index(b"tkhd") + 4
    matrix = at + 4 + 36  # version 0: times, ids, duration, reserved, layer, volume
    cosine, sine = round(np.cos(np.radians(degrees))), round(np.sin(np.radians(degrees)))
    rows = [cosine, -sine, 0, sine, cosine, 0, 0, 0, 1]
    for k, value in enumerate(rows):
        scaled = value * (1 << 30 if k % 3 == 2 else 1 << 16)
        data[matrix + 4 * k : matrix + 4 * k + 4] = int(scaled).to_bytes(4, "big", signed=True)
    path.write_bytes(bytes(data))


@lru_cache(maxsize=12)
def texture(seed: int, size: int = 1400) -> np.ndarray:
    """A natural-looking texture without any of the demo's drawing: RGB noise of many scales. Read-only."""
    rng = np.random.default_rng(seed)
    total = np.zeros((size, size, 3), np.float32)
    for cell in (256, 96, 40, 16, 7, 4):
        coarse = rng.standard_normal((size // cell + 3, size // cell + 3, 3)).astype(np.float32)
        total += cv2.resize(coarse, (size, size), interpolation=cv2.INTER_CUBIC) * cell**0.35
    total = (total - total.mean()) / total.std()
    made = (128 + 44 * total).clip(0, 255).astype(np.uint8)
    made.flags.writeable = False
    return made


def under_a_sky(seed: int, colour: tuple[int, int, int] = (120, 160, 215), size: int = 1400) -> NDArray[np.uint8]:
    """A world to film (RGB): texture up to the middle, and over it a sky that gets darker upwards."""
    world = texture(seed, size).copy()
    shade = np.linspace(0.75, 1.0, size // 2)[:, None, None]
    world[: size // 2] = (shade * np.array(colour)).round()
    return world


def moving_film(
    path: Path,
    motion: Callable[[float], np.ndarray],
    *,
    frames: int,
    size: tuple[int, int] = (640, 360),
    rate: Fraction = Fraction(30),
    seed: int = 1,
    shutter: float = 0.0,
    noise: float = 1.0,
    world: NDArray[np.uint8] | None = None,
) -> list[np.ndarray]:
    """Films a texture under a known camera: `motion(t)` takes picture pixels at frame time t to texture pixels.

    Returns the true homographies from the previous frame to each (the first is the identity). `shutter` is
    the open share of the frame time, integrated over steps of a pixel. `world`: what is filmed instead of the texture.
    """
    truth, exposures = [], []
    for k in range(frames):
        reach = np.abs(motion(k + shutter / 2) - motion(k - shutter / 2))[:2, 2].max() if shutter else 0
        samples = max(1, int(np.ceil(reach)))
        exposures.append([motion(k + shutter * ((s + 0.5) / samples - 0.5)) for s in range(samples)])
        step = np.linalg.inv(motion(k)) @ motion(k - 1) if k else np.eye(3)
        truth.append(step / step[2, 2])
    _filmed_once(path, exposures, size, rate, seed, noise, world)
    return truth


def _filmed_once(
    path: Path,
    exposures: list[list[np.ndarray]],
    size: tuple[int, int],
    rate: Fraction,
    seed: int,
    noise: float,
    world: NDArray[np.uint8] | None,
) -> None:
    """Films what a camera sees, or takes the same film from an earlier test or run: filming takes longest."""
    digest = hashlib.sha256(_FILMING_CODE)
    digest.update(repr((size, rate, seed, noise, path.suffix, [len(each) for each in exposures])).encode())
    digest.update(np.array([matrix for each in exposures for matrix in each]).tobytes())
    source = texture(seed) if world is None else world
    digest.update(b"" if world is None else world.tobytes())
    known = machine_folder() / "films" / f"{digest.hexdigest()[:32]}{path.suffix}"
    if not known.exists():
        known.parent.mkdir(parents=True, exist_ok=True)
        part = known.with_name(f"{os.getpid()}-{known.name}")
        _film(part, exposures, size, rate, np.random.default_rng(seed), noise, source)
        part.replace(known)
    shutil.copyfile(known, path)


def _film(
    path: Path,
    exposures: list[list[np.ndarray]],
    size: tuple[int, int],
    rate: Fraction,
    rng: np.random.Generator,
    noise: float,
    source: NDArray[np.uint8],
) -> None:
    flags = cv2.INTER_CUBIC | cv2.WARP_INVERSE_MAP
    with FilmWriter(path, rate=rate, size=size, quality=14, threads=1) as writer:
        for exposure in exposures:
            total = np.zeros((size[1], size[0], 3), np.float32)
            for matrix in exposure:
                total += cv2.warpPerspective(source, matrix, size, flags=flags, borderMode=cv2.BORDER_REFLECT)
            picture = total / len(exposure) + noise * rng.standard_normal(total.shape)
            writer.write(picture_from_rgb(picture.clip(0, 255).astype(np.uint8)))


def shift(x: float, y: float) -> np.ndarray:
    return np.array([[1, 0, x], [0, 1, y], [0, 0, 1]], float)


def about(centre: tuple[float, float], degrees: float, scale: float = 1.0) -> np.ndarray:
    """A turn (clockwise as seen, y down) and scaling about a point."""
    matrix = np.vstack([cv2.getRotationMatrix2D(centre, -degrees, scale), [0, 0, 1]])
    return matrix


def still(size: tuple[int, int], value: int) -> Picture:
    return picture_from_rgb(np.full((size[1], size[0], 3), value, np.uint8))


def mean_error(before: np.ndarray, after: np.ndarray) -> float:
    """Mean difference of two pictures in code values."""
    return float(np.abs(before.astype(float) - after.astype(float)).mean())


def cut_film(source: Path, path: Path, first: int, end: int) -> Path:
    """Frames of a film as one of their own, hardly worse."""
    with FilmReader(source) as reader:
        height, width = reader.read(first).y.shape
        with FilmWriter(path, rate=reader.index.rate, size=(width, height), quality=14, threads=1) as writer:
            for frame in range(first, end):
                writer.write(reader.read(frame))
    return path
