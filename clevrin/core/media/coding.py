"""How pictures are given to an encoder: the stream, its colour tags, and planes of fewer bits than they have.

Where bits are lost a fixed pattern is added first (ordered dithering, Bayer 1973): even slopes show no steps. What
needs no rounding comes out as it was.
"""

import os
from dataclasses import dataclass
from fractions import Fraction
from functools import cache
from typing import TYPE_CHECKING

import av
import cv2
import numpy as np
from numpy.typing import NDArray

from clevrin.core.document.colour import Colour
from clevrin.core.media.picture import Picture, Plane, affine_rgb, risen, yuv_of

if TYPE_CHECKING:
    from av.container import OutputContainer

_PRIMARIES = {"bt709": 1, "p3": 12, "bt2020": 9}
_TRANSFERS = {"sdr": 1, "hlg": 18, "pq": 16}
_MATRICES = {"bt709": 1, "bt2020": 9}
"""ITU-T H.273."""
_AVX_512 = 13
"""As OpenCV numbers it."""
_RGB_MATRIX, _FULL, _LIMITED = 0, 2, 1
_BITS = {"10le": 10, "16le": 16, "48": 16, "64": 16}
_EIGHT_TO_SIXTEEN = 65535 / 255
_RGB = ("rgb48be", "rgb48le", "rgba64be", "rgba64le")


@dataclass(frozen=True, kw_only=True)
class Coding:
    """A codec with its pixel format and its options, as FFmpeg names them; `threads` 0: as many as it likes."""

    codec: str
    pixels: str
    options: tuple[tuple[str, str], ...] = ()
    threads: int = 0

    @property
    def bits(self) -> int:
        """Bits of a sample."""
        return next((bits for name, bits in _BITS.items() if name in self.pixels), 8)

    @property
    def alpha(self) -> bool:
        """Whether it says how much of each pixel is there."""
        return self.pixels.startswith(("yuva", "rgba", "bgra"))


def picture_stream(
    container: "OutputContainer", coding: Coding, rate: Fraction, size: tuple[int, int], colour: Colour
) -> av.VideoStream:
    """A stream of a film that is written, for pictures of a size in a colour."""
    if coding.codec == "libsvtav1":
        os.environ.setdefault("SVT_LOG", "1")  # it would tell the terminal how it is set up; errors alone
    stream = container.add_stream(coding.codec, rate=rate)
    assert isinstance(stream, av.VideoStream)
    stream.width, stream.height = size
    stream.pix_fmt = coding.pixels
    stream.time_base = 1 / rate
    stream.options = _on_this_machine(coding)
    stream.thread_count = coding.threads
    context = stream.codec_context
    assert isinstance(context, av.VideoCodecContext)
    _tag(context, coding, colour)
    return stream


def _on_this_machine(coding: Coding) -> dict[str, str]:
    """The options of a coding, so that every machine codes the same.

    What x264 does with AVX-512 depends on what lay in memory before (measured with the version of PyAV 18.1: of 45
    films of 140 frames, 10 were not like the others; without it, none).
    """
    options = dict(coding.options)
    if coding.codec == "libx264" and cv2.checkHardwareSupport(_AVX_512):
        given = options.get("x264-params")
        options["x264-params"] = "asm=AVX2" if not given else f"{given}:asm=AVX2"
    return options


def coded_frame(picture: Picture, coding: Coding, number: int, rate: Fraction, colour: Colour) -> av.VideoFrame:
    """A picture as an encoder takes it, the one of a `number`, in the colour that it has."""
    width, height = picture.size
    frame = av.VideoFrame(width, height, coding.pixels)
    if coding.pixels in _RGB:
        _fill(frame.planes[0], _rgb(picture, coding))
    else:
        for plane, values in zip(frame.planes, _planes(picture, coding), strict=True):
            _fill(plane, values)
    _tag(frame, coding, colour)
    frame.pts, frame.time_base = number, 1 / rate
    return frame


def _tag(what: "av.VideoCodecContext | av.VideoFrame", coding: Coding, colour: Colour) -> None:
    rgb = coding.pixels in _RGB
    what.color_range = _FULL if rgb else _LIMITED
    what.colorspace = _RGB_MATRIX if rgb else _MATRICES[colour.matrix]
    what.color_primaries = _PRIMARIES[colour.primaries]
    what.color_trc = _TRANSFERS[colour.transfer]


def _planes(picture: Picture, coding: Coding) -> list[Plane]:
    if coding.bits > 8:
        picture = picture.deepened()
    y, u, v = picture.planes
    if "444" in coding.pixels:
        u, v = (risen(each, picture.siting, picture.size) for each in (u, v))
    elif "422" in coding.pixels:  # at the left of two columns, as the format has it
        u, v = (risen(each, picture.siting, picture.size)[:, ::2] for each in (u, v))
    found = [fewer_bits(each, coding.bits) for each in (y, u, v)]
    if coding.alpha:
        found.append(_alpha(picture, coding.bits))
    return found


def _alpha(picture: Picture, bits: int) -> Plane:
    """How much of each pixel is there, all where the picture does not say: rounded, since 0 and all have to stay."""
    most = (1 << bits) - 1
    kind = np.uint8 if bits == 8 else np.uint16
    if picture.alpha is None:
        return np.full(picture.size[::-1], most, kind)
    own = 65535 if picture.deep else 255
    return ((picture.alpha.astype(np.uint32) * most + own // 2) // own).astype(kind)


def _rgb(picture: Picture, coding: Coding) -> Plane:
    """(h, w * 3 or 4) of 16 bits, of full range, in the byte order of the format."""
    deep = picture.deepened()
    affine = affine_rgb(picture.colour.matrix, deep=True) * _EIGHT_TO_SIXTEEN
    coded = cv2.transform(yuv_of(deep).astype(np.float32), affine.astype(np.float32))
    whole = np.clip(coded + np.float32(0.5), 0, 65535).astype(np.uint16)
    if coding.alpha:
        whole = np.dstack([whole, _alpha(deep, 16)])
    height, width = whole.shape[:2]
    whole = whole.reshape(height, width * whole.shape[2])
    return whole.byteswap() if coding.pixels.endswith("be") else whole


def fewer_bits(plane: Plane, bits: int) -> Plane:
    """A plane of 8 or 16 bits as one of so many, no more: values that need no rounding stay, others are dithered."""
    if plane.dtype == np.uint8 or bits == 16:
        return plane
    lost = 16 - bits
    height, width = plane.shape
    pattern = np.tile(_pattern(lost), (-(-height // 8), -(-width // 8)))[:height, :width]
    coded = (np.minimum(plane, 65535 - (1 << lost) + 1) + pattern) >> np.uint16(lost)
    return coded.astype(np.uint8 if bits == 8 else np.uint16)


@cache
def _pattern(lost: int) -> NDArray[np.uint16]:
    """(8, 8): what is added before so many bits are cut off, each share of them as often."""
    order = np.array([[0]])
    for _ in range(3):
        order = np.block([[4 * order, 4 * order + 2], [4 * order + 3, 4 * order + 1]])
    return ((order * 2 + 1) * (1 << lost) // 128).astype(np.uint16)


def _fill(plane: av.video.plane.VideoPlane, values: Plane) -> None:
    height, width = values.shape
    padded = np.zeros((height, plane.line_size // values.itemsize), values.dtype)
    padded[:, :width] = values
    plane.update(padded.tobytes())
