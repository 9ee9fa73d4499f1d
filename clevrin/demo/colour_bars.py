"""Colour bars of every coding, and what a render of them should hold, by arithmetic of its own in 64 bits.

The formulas are written out here once more from ITU-T H.273, BT.2100 and IEC 61966-2-1: what judges shares no code with
what is judged.
"""

import itertools
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path
from typing import Any

import av
import numpy as np
from numpy.typing import NDArray

Numbers = NDArray[np.float64]

BAR = 32
"""Pixels of a bar's side; what is compared is the mean of its middle."""
COLUMNS, ROWS = 9, 4
SIZE = (BAR * COLUMNS, BAR * ROWS)
FRAMES = 4
_WHITE, _PEAK = 203.0, 1000.0


@dataclass(frozen=True, kw_only=True)
class Coding:
    """One way to code bars: its container and codec, and what the film says its numbers mean."""

    suffix: str
    codec: str
    pixels: str
    matrix: str = "bt709"
    primaries: str = "bt709"
    transfer: str = "sdr"
    full: bool = False
    tagged: bool = True

    @property
    def depth(self) -> int:
        return 10 if "10" in self.pixels else 12 if "12" in self.pixels else 8

    @property
    def name(self) -> str:
        range_ = "full" if self.full else "limited"
        return f"{self.codec} {self.pixels} {self.matrix} {self.transfer} {range_}{'' if self.tagged else ' untagged'}"


_H264: dict[str, Any] = {"suffix": ".mp4", "codec": "libx264"}
_HEVC: dict[str, Any] = {"suffix": ".mp4", "codec": "libx265"}
CODINGS = (
    *(
        Coding(**_H264, pixels="yuv420p", matrix=matrix, full=full)
        for matrix, full in itertools.product(("bt601", "bt709", "bt2020", "smpte240m", "fcc"), (False, True))
    ),
    Coding(**_H264, pixels="yuv420p", matrix="bt601", tagged=False),
    *(Coding(**_H264, pixels=pixels) for pixels in ("yuv422p", "yuv444p", "yuv420p10le", "yuv422p10le", "yuv444p10le")),
    Coding(**_H264, pixels="yuv420p10le", matrix="bt601", full=True),
    Coding(**_HEVC, pixels="yuv420p"),
    Coding(**_HEVC, pixels="yuv420p10le"),
    Coding(**_HEVC, pixels="yuv420p12le"),
    Coding(**_HEVC, pixels="yuv420p10le", matrix="bt2020", primaries="bt2020"),
    Coding(**_HEVC, pixels="yuv420p10le", matrix="bt2020", primaries="bt2020", transfer="hlg"),
    Coding(**_HEVC, pixels="yuv420p10le", matrix="bt2020", primaries="bt2020", transfer="pq"),
    Coding(**_HEVC, pixels="yuv420p10le", matrix="bt2020", primaries="bt2020", transfer="hlg", full=True),
    Coding(suffix=".mov", codec="prores_ks", pixels="yuv422p10le"),
    Coding(suffix=".mov", codec="prores_ks", pixels="yuv444p10le"),
    Coding(suffix=".mkv", codec="ffv1", pixels="yuv420p"),
    Coding(suffix=".mkv", codec="ffv1", pixels="yuv444p", full=True),
    Coding(suffix=".mkv", codec="ffv1", pixels="yuv422p10le", matrix="bt601"),
    Coding(suffix=".mkv", codec="ffv1", pixels="bgr0", matrix="rgb", full=True),
    Coding(suffix=".avi", codec="mjpeg", pixels="yuvj420p", matrix="bt601", full=True, tagged=False),
)
"""Every range, matrix, curve and depth that the codec library writes and reads."""

_LUMA = {"bt601": (0.299, 0.114), "bt709": (0.2126, 0.0722), "bt2020": (0.2627, 0.0593)}
_LUMA |= {"smpte240m": (0.212, 0.087), "fcc": (0.30, 0.11)}
_H273 = {"rgb": 0, "bt709": 1, "fcc": 4, "bt601": 5, "smpte240m": 7, "bt2020": 9, "sdr": 1, "hlg": 18, "pq": 16}
_LOSSLESS = {"libx264": {"qp": "0"}, "libx265": {"x265-params": "lossless=1:log-level=error"}}
_LOSSLESS |= {"mjpeg": {"q": "1"}, "prores_ks": {"profile": "4", "bits_per_mb": "8000"}}


def bar_colours() -> Numbers:
    """(rows * columns, 3): colours that every gamut holds, and greys from black to white; 0 to 1, coded."""
    mixed = list(itertools.product((0.25, 0.45, 0.65), repeat=3))
    greys = [(g, g, g) for g in np.linspace(0, 1, COLUMNS)]
    return np.array([*mixed, *greys])


def film_bars(path: Path, coding: Coding) -> Numbers:
    """Writes the bars without loss; returns their code values as they were written (bars, 3): Y, U, V or R, G, B."""
    depth = coding.depth
    values = np.round(_coded(bar_colours(), coding.matrix, coding.full, depth))
    with av.open(str(path), "w") as out:
        stream = out.add_stream(coding.codec, rate=Fraction(25), options=_LOSSLESS.get(coding.codec, {}))
        stream.width, stream.height = SIZE
        stream.pix_fmt = coding.pixels
        context = stream.codec_context
        if coding.codec == "mjpeg":
            stream.codec_context.flags |= 2  # constant quality
            stream.codec_context.global_quality = 118
        if coding.tagged:
            context.color_range = 2 if coding.full else 1
            context.colorspace = _H273[coding.matrix]
            context.color_primaries = 9 if coding.primaries == "bt2020" else 1
            context.color_trc = _H273[coding.transfer]
        for number in range(FRAMES):
            frame = _frame(values, coding)
            if coding.tagged:
                frame.color_range, frame.colorspace = context.color_range, context.colorspace
                frame.color_primaries, frame.color_trc = context.color_primaries, context.color_trc
            frame.pts, frame.time_base = number, Fraction(1, 25)
            out.mux(stream.encode(frame))
        out.mux(stream.encode(None))
    return values


def expected(values: Numbers, coding: Coding, *, high: bool, depth: int) -> Numbers:
    """The code values (bars, 3) that a render holds: in the high range of the take (`high`), else in BT.709."""
    coded = _uncoded(values, coding.matrix, coding.full, coding.depth)
    matrix = "bt2020" if high else "bt709"
    if not high and (coding.transfer != "sdr" or coding.primaries != "bt709"):
        light = _light(coded, coding.transfer) @ _gamut(coding.primaries).T
        coded = _sdr(np.clip(light, 0, None))
    return _coded(coded, matrix, False, depth)


def comparable(values: Numbers, coding: Coding, *, high: bool) -> NDArray[np.bool_]:
    """(bars,): which bars the arithmetic here foretells; brighter light than white's larger part is bent, by taste."""
    coded = _uncoded(values, coding.matrix, coding.full, coding.depth)
    if high or coding.transfer == "sdr":
        return np.ones(len(values), bool)
    return np.asarray(_light(coded, coding.transfer).max(axis=1) < 0.65)


def read_bars(path: Path, frame: int = FRAMES // 2) -> tuple[Numbers, int]:
    """The mean code values (bars, 3) of the middles of the bars in a film of planes, and its depth."""
    with av.open(str(path)) as film:
        found = list(film.decode(video=0))[frame]
        depth = found.format.components[0].bits
        planes = []
        for number in range(3):
            plane = found.planes[number]
            kind = np.uint16 if depth > 8 else np.uint8
            rows = np.frombuffer(plane, kind).reshape(-1, plane.line_size // np.dtype(kind).itemsize)
            width, height = plane.width, plane.height
            planes.append(_middles(rows[:height, :width], width // COLUMNS, height // ROWS))
    return np.stack(planes, axis=1), depth


def _middles(plane: NDArray[np.generic], wide: int, high: int) -> Numbers:
    bars = plane.astype(float).reshape(ROWS, high, COLUMNS, wide)
    across, down = slice(wide // 4, wide - wide // 4), slice(high // 4, high - high // 4)
    return np.asarray(bars[:, down, :, across].mean(axis=(1, 3)).reshape(-1))


def _frame(values: Numbers, coding: Coding) -> av.VideoFrame:
    grid = values.reshape(ROWS, COLUMNS, 3)
    if coding.matrix == "rgb":
        rgb = np.kron(grid, np.ones((BAR, BAR, 1))).astype(np.uint8)
        return av.VideoFrame.from_ndarray(rgb, format="rgb24").reformat(format=coding.pixels)
    frame = av.VideoFrame(*SIZE, coding.pixels)
    across = 1 if "444" in coding.pixels else 2
    down = 2 if "420" in coding.pixels else 1
    kind = np.uint16 if coding.depth > 8 else np.uint8
    for number, (x, y) in enumerate(((1, 1), (across, down), (across, down))):
        plane = np.kron(grid[..., number], np.ones((BAR // y, BAR // x))).astype(kind)
        line = frame.planes[number].line_size // np.dtype(kind).itemsize
        padded = np.zeros((plane.shape[0], line), kind)
        padded[:, : plane.shape[1]] = plane
        frame.planes[number].update(padded.tobytes())
    return frame


def _coded(rgb: Numbers, matrix: str, full: bool, depth: int) -> Numbers:
    """R, G, B from 0 to 1 as code values of a matrix, range and depth."""
    top = 2**depth - 1
    if matrix == "rgb":
        return rgb * top
    red, blue = _LUMA[matrix]
    luma = red * rgb[:, 0] + (1 - red - blue) * rgb[:, 1] + blue * rgb[:, 2]
    u, v = (rgb[:, 2] - luma) / (2 - 2 * blue), (rgb[:, 0] - luma) / (2 - 2 * red)
    middle, least = 2 ** (depth - 1), 2 ** (depth - 8)
    if full:
        return np.stack([luma * top, u * top + middle, v * top + middle], axis=1)
    return np.stack([luma * 219 * least + 16 * least, u * 224 * least + middle, v * 224 * least + middle], axis=1)


def _uncoded(values: Numbers, matrix: str, full: bool, depth: int) -> Numbers:
    """Turns `_coded` round."""
    top = 2**depth - 1
    if matrix == "rgb":
        return values / top
    middle, least = 2 ** (depth - 1), 2 ** (depth - 8)
    luma, u, v = values.T
    if full:
        luma, u, v = luma / top, (u - middle) / top, (v - middle) / top
    else:
        luma, u, v = (luma - 16 * least) / (219 * least), (u - middle) / (224 * least), (v - middle) / (224 * least)
    red, blue = _LUMA[matrix]
    r, b = luma + (2 - 2 * red) * v, luma + (2 - 2 * blue) * u
    return np.stack([r, (luma - red * r - blue * b) / (1 - red - blue), b], axis=1)


def _light(coded: Numbers, transfer: str) -> Numbers:
    """Light on the screen in shares of white (203 cd/m2)."""
    coded = np.clip(coded, 0, 1)
    if transfer == "sdr":
        return np.where(coded <= 0.04045, coded / 12.92, ((coded + 0.055) / 1.055) ** 2.4)
    if transfer == "hlg":
        scene = np.where(coded <= 0.5, coded**2 / 3, (np.exp((coded - 0.55991073) / 0.17883277) + 0.28466892) / 12)
        luminance = scene @ (0.2627, 0.6780, 0.0593)
        return np.asarray(scene * luminance[:, None] ** 0.2 * _PEAK / _WHITE)
    root = coded ** (1 / 78.84375)
    return np.asarray(
        (np.maximum(root - 0.8359375, 0) / (18.8515625 - 18.6875 * root)) ** (1 / 0.1593017578125) * 1e4 / _WHITE
    )


def _sdr(light: Numbers) -> Numbers:
    return np.where(light <= 0.0031308, 12.92 * light, 1.055 * np.maximum(light, 1e-9) ** (1 / 2.4) - 0.055)


def _gamut(primaries: str) -> Numbers:
    """3x3 from the primaries' linear light to that of BT.709 (ITU-R BT.2087)."""
    if primaries == "bt709":
        return np.eye(3)
    return np.array([[1.6605, -0.5876, -0.0728], [-0.1246, 1.1329, -0.0083], [-0.0182, -0.1006, 1.1187]])
