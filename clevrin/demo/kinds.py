"""Films of every kind that cameras and programmes make, each with what it is, for judging what comes of them.

Frames bear their numbers as bars; sound, where there is any, is a click at each whole second.
"""

from dataclasses import dataclass, field
from fractions import Fraction
from pathlib import Path
from typing import Any

import av
import numpy as np
from numpy.typing import NDArray

RATE = 48_000
BITS = 12
SECONDS = 4
CLICK_S, CLICK_LEVEL = 0.004, 0.7


@dataclass(frozen=True, kw_only=True)
class Kind:
    """A kind of film. `late_s`: how much later its sound begins than its pictures; `channels` of it, 0: none."""

    name: str
    rate: Fraction = Fraction(30)
    size: tuple[int, int] = (192, 108)
    variable: bool = False
    channels: int = 0
    late_s: float = 0.0
    seconds: float = SECONDS
    suffix: str = ".mp4"
    codec: str = "libx264"
    pixels: str = "yuv420p"
    aspect: Fraction = Fraction(1)
    rotation: int = 0
    interlaced: bool = False
    colour: dict[str, int] = field(default_factory=dict)


_HLG = {"colorspace": 9, "color_primaries": 9, "color_trc": 18}
KINDS = (
    *(Kind(name=f"{rate} frames/s", rate=Fraction(rate), channels=2) for rate in
      ("24000/1001", "24", "25", "30000/1001", "30", "48", "50", "60000/1001", "60", "120")),
    Kind(name="phone: 5 % left out, 10 ms of jitter", variable=True, channels=2, suffix=".mp4"),
    Kind(name="phone, on its side", variable=True, rotation=90, channels=1),
    Kind(name="portrait", size=(108, 192)),
    Kind(name="wide pixels, 576 lines", size=(360, 288), aspect=Fraction(64, 45), rate=Fraction(25)),
    Kind(name="interlaced", codec="mpeg2video", suffix=".mpg", rate=Fraction(25), interlaced=True),
    Kind(name="10 bit", codec="libx265", pixels="yuv420p10le"),
    Kind(name="HLG", codec="libx265", pixels="yuv420p10le", colour=_HLG),
    Kind(name="sound longer and late", channels=2, late_s=0.5),
    Kind(name="mono", channels=1),
    Kind(name="5.1", channels=6, suffix=".mkv"),
)  # fmt: skip


def stamps_of(kind: Kind) -> NDArray[np.float64]:
    """When each frame stands, in seconds from the first."""
    count = round(kind.seconds * kind.rate)
    times = np.arange(count) / float(kind.rate)
    if kind.variable:
        rng = np.random.default_rng(4)
        kept = np.sort(np.append(0, 1 + rng.permutation(count - 1)[: round(0.95 * (count - 1))]))
        times = times[kept] + rng.uniform(-0.01, 0.01, len(kept))
        times = np.round((times - times[0]) * 90_000) / 90_000
    return times


def film_kind(path: Path, kind: Kind) -> NDArray[np.float64]:
    """Writes a film of a kind; returns when each frame stands."""
    times = stamps_of(kind)
    tick = Fraction(1, 90_000) if kind.variable else 1 / kind.rate
    options = {"flags": "+ildct+ilme", "top": "1"} if kind.interlaced else {}
    if kind.codec == "libx265":
        options["x265-params"] = "log-level=error"
    with av.open(str(path), "w", format="mpeg" if kind.suffix == ".mpg" else None) as out:
        stream = out.add_stream(kind.codec, rate=kind.rate, options=options)
        stream.width, stream.height = kind.size
        stream.pix_fmt = kind.pixels
        context = stream.codec_context
        if kind.aspect != 1:
            context.sample_aspect_ratio = kind.aspect
        if kind.interlaced:
            stream.bit_rate = 6_000_000
        for name, value in {"colorspace": 1, "color_primaries": 1, "color_trc": 1, **kind.colour}.items():
            setattr(context, name, value)
        if kind.variable:
            stream.time_base = context.time_base = tick
        if kind.rotation:
            stream.set_display_rotation(kind.rotation)
        sound = _sound_stream(out, kind)
        if sound is not None:
            _write_clicks(out, sound, kind)
        for number, at in enumerate(times):
            upright = kind.size[::-1] if kind.rotation % 180 else kind.size
            rgb = np.rot90(_numbered(number, upright), -kind.rotation // 90)
            frame = av.VideoFrame.from_ndarray(np.ascontiguousarray(rgb), format="rgb24")
            frame = frame.reformat(format=kind.pixels, dst_colorspace=1)
            frame.pts, frame.time_base = round(at / float(tick)), tick
            out.mux(stream.encode(frame))
        out.mux(stream.encode(None))
    return times


def number_in(luma: NDArray[Any]) -> int:
    """The number in an upright luma plane of any range and depth."""
    row = luma[luma.shape[0] // 4].astype(float)
    places = [int(len(row) * (bit + 0.5) / BITS) for bit in range(BITS)]
    middle = (float(luma.max()) + float(luma.min())) / 2
    return sum(1 << bit for bit, place in enumerate(places) if row[place] > middle)


def _numbered(number: int, size: tuple[int, int]) -> NDArray[np.uint8]:
    width, height = size
    rgb = np.full((height, width, 3), 60, np.uint8)
    for bit in range(BITS):
        x0, x1 = (width * k // BITS for k in (bit, bit + 1))
        rgb[: height // 2, x0:x1] = 220 if number >> bit & 1 else 30
    rgb[height // 2 :] = np.linspace(30, 220, width)[None, :, None]
    return rgb


def _sound_stream(out: av.container.OutputContainer, kind: Kind) -> Any:
    if not kind.channels:
        return None
    layout = {1: "mono", 2: "stereo", 6: "5.1"}[kind.channels]
    return out.add_stream("flac" if kind.suffix == ".mkv" else "aac", rate=RATE, layout=layout)


def _write_clicks(out: av.container.OutputContainer, sound: Any, kind: Kind) -> None:
    """A click on all channels at each whole second of the pictures, from the first on that the sound reaches."""
    count = round((kind.seconds + (1.0 if kind.late_s else 0.0)) * RATE)
    t = np.arange(count) / RATE + kind.late_s
    level = np.where(np.mod(t, 1.0) < CLICK_S, CLICK_LEVEL, 0.0) * np.sin(2 * np.pi * 1000 * np.mod(t, 1.0))
    samples = np.repeat(level[None], kind.channels, axis=0).astype(np.float32)
    format_ = "s16" if sound.codec_context.name == "flac" else "fltp"
    first = round(kind.late_s * RATE)
    for at in range(0, count - 1023, 1024):
        block = samples[:, at : at + 1024]
        if format_ == "s16":
            packed = np.round(block.T.reshape(1, -1) * 32767).astype(np.int16)
            frame = av.AudioFrame.from_ndarray(packed, "s16", sound.layout.name)
        else:
            frame = av.AudioFrame.from_ndarray(np.ascontiguousarray(block), "fltp", sound.layout.name)
        frame.sample_rate, frame.pts, frame.time_base = RATE, first + at, Fraction(1, RATE)
        out.mux(sound.encode(frame))
    out.mux(sound.encode(None))
