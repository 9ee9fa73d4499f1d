"""From a decoded frame to a picture: planes of any layout, range and matrix in those that Clevrin works in."""

import re

import av
import cv2
import numpy as np
from numpy.typing import NDArray

from clevrin.core.document.colour import BT709, Colour, Matrix, Primaries, Transfer
from clevrin.core.media.picture import (
    CENTRE,
    LEFT,
    TOP_LEFT,
    Picture,
    Plane,
    Siting,
    picture_from_rgb,
    rgb_from_yuv,
    risen,
    sunk,
)

_PLANAR = re.compile(r"yuv(j?)a?4(20|22|44)p(\d*)(?:le)?")
_SHRINKS_BOTH, _SHRINKS_NONE, _SHRINKS_DOWN = "20", "44", "22"
_FULL_RANGE = 2
# ITU-T H.273, as the codec library numbers them. 2: not said.
_UNSAID = 2
_MATRICES: dict[int, Matrix] = {0: "rgb", 1: "bt709", 4: "fcc", 5: "bt601", 6: "bt601", 7: "smpte240m"}
_MATRICES |= {9: "bt2020", 10: "bt2020"}
_PRIMARIES: dict[int, Primaries] = {9: "bt2020", 11: "p3", 12: "p3"}
_TRANSFERS: dict[int, Transfer] = {16: "pq", 18: "hlg"}
_LARGEST_SD_HEIGHT = 576
_CENTRED_CODECS = {"mjpeg", "mpeg1video"}


def colour_of(frame: av.VideoFrame) -> Colour:
    """What the numbers of a decoded frame mean, by what it says, and by custom where it does not.

    Films that do not say have the matrix of BT.601 at standard definition, BT.2020 with its primaries, else BT.709.
    """
    name = frame.format.name
    primaries = _PRIMARIES.get(int(frame.color_primaries), "bt709")
    matrix = _MATRICES.get(int(frame.colorspace))
    if matrix is None or (matrix == "rgb" and not frame.format.is_rgb):
        small = frame.height <= _LARGEST_SD_HEIGHT
        matrix = "bt2020" if primaries == "bt2020" else "bt601" if small else "bt709"
    transfer = _TRANSFERS.get(int(frame.color_trc), "sdr")
    full = int(frame.color_range) == _FULL_RANGE or name.startswith("yuvj") or frame.format.is_rgb
    return Colour(matrix=matrix, primaries=primaries, transfer=transfer, full_range=full)


def says_its_colour(frame: av.VideoFrame) -> bool:
    """Whether the film says which matrix its colours have."""
    return int(frame.colorspace) != _UNSAID or frame.format.is_rgb


def siting_of(frame: av.VideoFrame, codec: str) -> Siting:
    """Where chroma stands. The codec library does not hand on what a film says of it: by custom of its codec."""
    if codec in _CENTRED_CODECS or frame.format.name.startswith("yuvj"):
        return CENTRE
    if codec == "hevc" and int(frame.color_primaries) == 9:
        return TOP_LEFT  # BT.2020 asks for it
    return LEFT


def depth_of(frame: av.VideoFrame) -> int:
    """Bits of a sample."""
    return max((component.bits for component in frame.format.components), default=8)


def picture_of(frame: av.VideoFrame, codec: str) -> Picture:
    """A frame as a picture, as it lies in the film (not turned): colours as they are, in their `home` coding."""
    colour = colour_of(frame)
    depth = depth_of(frame)
    if frame.format.is_rgb or frame.format.name.startswith(("pal8", "bayer", "xyz")):
        packed = frame.to_ndarray(format="rgb48le" if depth > 8 else "rgb24")
        return _named(picture_from_rgb(np.ascontiguousarray(packed)), colour)
    frame = _planar(frame, depth)
    found = _PLANAR.fullmatch(frame.format.name)
    shape = found.group(2) if found else _SHRINKS_BOTH
    y = plane_of(frame, 0, frame.width, frame.height)
    siting = siting_of(frame, codec)
    if found is None:  # grey
        half = (frame.height + 1) // 2, (frame.width + 1) // 2
        u = v = np.full(half, 1 << (depth - 1), y.dtype)
    else:
        width = frame.width if shape == _SHRINKS_NONE else (frame.width + 1) // 2
        height = (frame.height + 1) // 2 if shape == _SHRINKS_BOTH else frame.height
        u, v = (plane_of(frame, k, width, height) for k in (1, 2))
        if shape == _SHRINKS_NONE:
            u, v, siting = sunk(u), sunk(v), LEFT
        elif shape == _SHRINKS_DOWN:
            u, v, siting = _halved_rows(u), _halved_rows(v), (siting[0], 0.5)
    y, u, v = _brought_home(y, u, v, siting, depth, colour)
    return Picture(y=y, u=u, v=v, siting=siting, colour=colour.home)


def luma_of(frame: av.VideoFrame) -> NDArray[np.uint8]:
    """The luma of a frame (h, w), 8 bit, in the film's own range."""
    if not (_PLANAR.fullmatch(frame.format.name) or frame.format.name in ("gray", "nv12")) or depth_of(frame) != 8:
        frame = frame.reformat(format="gray")
    return plane_of(frame, 0, frame.width, frame.height)


def alpha_of(frame: av.VideoFrame) -> NDArray[np.uint8] | None:
    """How much of each pixel is there (h, w), 8 bit, as the frame lies in the film; None where that is not said."""
    name = frame.format.name
    if not (name.startswith(("yuva", "gbrap", "ya8", "ya16", "pal8")) or re.search("rgba|bgra|argb|abgr", name)):
        return None
    return np.ascontiguousarray(frame.to_ndarray(format="rgba")[..., 3])


def plane_of(frame: av.VideoFrame, number: int, width: int, height: int) -> Plane:
    """A view on one plane of a frame, (height, width)."""
    plane = frame.planes[number]
    deep = frame.format.components[number].bits > 8
    rows = np.frombuffer(plane, np.uint16 if deep else np.uint8).reshape(-1, plane.line_size // (2 if deep else 1))
    return rows[:height, :width]


def _planar(frame: av.VideoFrame, depth: int) -> av.VideoFrame:
    """The frame with a plane for each of luma and chroma, its samples as they are."""
    name = frame.format.name
    if (_PLANAR.fullmatch(name) and not name.endswith("be")) or name == "gray":
        return frame
    deep = {8: "", 9: "10le", 10: "10le"}.get(depth, "16le")
    if name.startswith(("nv", "p0")):
        shape = "444" if name in ("nv24", "nv42") else "422" if name in ("nv16", "nv20le", "nv20be") else "420"
    elif name.startswith("gray"):
        return frame.reformat(format=f"gray{deep}")
    else:
        shape = "422" if "422" in name else "444"
    return frame.reformat(format=f"yuv{shape}p{deep}")


def _halved_rows(plane: Plane) -> Plane:
    height, width = plane.shape
    if height % 2:
        plane = cv2.copyMakeBorder(np.ascontiguousarray(plane), 0, 1, 0, 0, cv2.BORDER_REPLICATE)
    return cv2.resize(np.ascontiguousarray(plane), (width, (height + 1) // 2), interpolation=cv2.INTER_AREA)


def _named(picture: Picture, colour: Colour) -> Picture:
    """A picture of RGB of some primaries and curve, by the matrix of its home."""
    home = colour.home
    if home == BT709:
        return picture
    y, u, v = _brought_home(*picture.planes, picture.siting, 16 if picture.deep else 8, colour, coded="bt709")
    return Picture(y=y, u=u, v=v, siting=picture.siting, colour=home)


def _brought_home(
    y: Plane, u: Plane, v: Plane, siting: Siting, depth: int, colour: Colour, *, coded: Matrix | None = None
) -> tuple[Plane, Plane, Plane]:
    """Planes of a range and matrix in limited range by the matrix of their home; 16 bit where they have more than 8.

    In one step, rounded once: off by half a code value at most.
    """
    matrix = coded or colour.matrix
    full = colour.full_range and coded is None
    deep = depth > 8
    if not full and matrix == colour.home.matrix:
        return (y << 16 - depth, u << 16 - depth, v << 16 - depth) if deep else (y, u, v)
    least = 1 << (depth - 8)
    top = (1 << depth) - 1
    luma_gain, chroma_gain = (1 / top, 1 / top) if full else (1 / (219 * least), 1 / (224 * least))
    luma_zero, middle = 0 if full else 16 * least, 128 * least
    by = 256 if deep else 1
    most = 65535 if deep else 255
    change = np.linalg.solve(rgb_from_yuv(colour.home.matrix), rgb_from_yuv(matrix))
    chroma = cv2.merge([u, v]).astype(np.float32) - np.float32(middle)
    gains = change[:, 1:] * chroma_gain * np.array([[219], [224], [224]]) * by
    parts = cv2.split(cv2.transform(chroma, gains.astype(np.float32)))
    luma = (y.astype(np.float32) - np.float32(luma_zero)) * np.float32(luma_gain * 219 * by) + np.float32(16 * by)
    if np.abs(gains[0]).max() > 0:
        luma += risen(parts[0], siting, (y.shape[1], y.shape[0]))
    kind = np.uint16 if deep else np.uint8
    y, u, v = (
        np.clip(plane + np.float32(0.5), 0, most).astype(kind)
        for plane in (luma, parts[1] + np.float32(128 * by), parts[2] + np.float32(128 * by))
    )
    return y, u, v
