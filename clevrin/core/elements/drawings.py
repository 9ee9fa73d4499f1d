"""Pictures in files as elements: PNG and JPEG, and drawings in SVG, which may name nothing outside of themselves."""

import io
import json
import os
import struct
import subprocess
import sys
from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from PIL import Image, ImageOps, UnidentifiedImageError

from clevrin.core.elements import svg
from clevrin.core.elements.letters import FONTS
from clevrin.core.errors import MediaError
from clevrin.core.media.door import regular_file

Image.MAX_IMAGE_PIXELS = None
"""How large a picture may be is said here, in a sentence; the library's own limit warns on the terminal."""
SUFFIXES = (".png", ".jpg", ".jpeg", ".svg")
LONGEST_PX = 3072
"""What is larger is made smaller when it is read."""
_LARGEST_BYTES = 256 * 1024 * 1024
_LARGEST_SVG_BYTES = 16 * 1024 * 1024
_MOST_PIXELS = 200_000_000
_MOST_SIDE = 32768
_THINNEST = 200
MOST_BYTES = 1024**3
MOST_S = 15
"""What a drawing may take of the memory and of the processor."""
_FAMILY = "Atkinson Hyperlegible Next"


def read_drawing(path: Path) -> NDArray[np.uint8]:
    """RGBA (h, w, 4), not multiplied, upright, no side longer than `LONGEST_PX`; an SVG is drawn as long as that.

    Raises `MediaError` with a sentence for what is none, is too large, or names files or the network. Costs 30 ms for
    1920x1080.
    """
    data = _bytes_of(path)
    if _is_svg(path, data):
        return _drawn(path, data)
    if path.suffix.lower() not in SUFFIXES:
        raise MediaError(f"{path.name} cannot be pinned: PNG, JPEG, SVG and films can.")
    return _decoded(path, data)


def _bytes_of(path: Path) -> bytes:
    descriptor = regular_file(path)
    with os.fdopen(descriptor, "rb") as file:
        try:
            if os.fstat(file.fileno()).st_size > _LARGEST_BYTES:
                raise MediaError(f"{path.name} is too large to be pinned.")
            return file.read(_LARGEST_BYTES)
        except OSError as error:
            raise MediaError(f"{path} cannot be read: {(error.strerror or str(error)).lower()}.") from error


def _is_svg(path: Path, data: bytes) -> bool:
    return path.suffix.lower() == ".svg" or data[:256].lstrip().startswith((b"<svg", b"<?xml"))


def _decoded(path: Path, data: bytes) -> NDArray[np.uint8]:
    try:
        with Image.open(io.BytesIO(data), formats=("PNG", "JPEG")) as image:
            _check_size(path, *image.size)
            if image.format == "JPEG":  # decodes a large one at a part of its size
                image.draft(None, (LONGEST_PX, LONGEST_PX))
            whole = ImageOps.exif_transpose(_eight_bit(image)).convert("RGBA")
    except (UnidentifiedImageError, OSError, ValueError, SyntaxError, struct.error) as e:
        raise MediaError(f"{path.name} is not a picture that can be read: PNG, JPEG or SVG is wanted.") from e
    if max(whole.size) > LONGEST_PX:
        share = LONGEST_PX / max(whole.size)
        size = tuple(max(1, round(side * share)) for side in whole.size)
        whole = whole.convert("RGBa").resize((size[0], size[1]), Image.Resampling.BOX).convert("RGBA")
    return np.asarray(whole)


def _eight_bit(image: Image.Image) -> Image.Image:
    """Grey of 16 bit as 8: converting it would cut it off at 255."""
    if image.mode not in ("I", "I;16", "I;16B", "F"):
        return image
    deep = np.asarray(image).astype(np.float64)
    return Image.fromarray((deep / 257 + 0.5).clip(0, 255).astype(np.uint8))


def _check_size(path: Path, width: float, height: float) -> None:
    if not (width > 0 and height > 0):
        raise MediaError(f"{path.name} has no size: nothing of it would be seen.")
    if max(width, height) > _MOST_SIDE or width * height > _MOST_PIXELS:
        raise MediaError(f"{path.name} is a picture of {width:.0f}x{height:.0f}: more than can be pinned.")
    if max(width, height) > _THINNEST * min(width, height):
        raise MediaError(f"{path.name} is a picture of {width:.0f}x{height:.0f}: too thin to be pinned.")


def _drawn(path: Path, data: bytes) -> NDArray[np.uint8]:
    """A drawing as a picture: looked over and drawn by a process of its own."""
    if len(data) > _LARGEST_SVG_BYTES:
        raise MediaError(f"{path.name} is too large to be pinned.")
    fonts = [str(each) for each in sorted(FONTS.glob("*.ttf"))]
    families = dict.fromkeys(("font_family", "serif_family", "sans_serif_family", "monospace_family"), _FAMILY)
    bounds = {"bytes": MOST_BYTES, "seconds": MOST_S, "longer": 2 * LONGEST_PX // 3, "thinnest": _THINNEST}
    drawn_with = json.dumps({**bounds, "font_files": fonts, **families})
    given = drawn_with.encode() + b"\n" + data
    try:
        apart = subprocess.run(
            [sys.executable, "-I", svg.__file__], input=given, capture_output=True, check=False, timeout=2 * MOST_S
        )
    except subprocess.TimeoutExpired as error:
        raise MediaError(f"{path.name} takes too long to be drawn.") from error
    if apart.returncode == svg.REFUSED:
        raise MediaError(apart.stderr.decode(errors="replace").replace("{name}", path.name))
    if apart.returncode:
        raise MediaError(f"{path.name} is not a drawing that can be read as SVG, or takes too long or too much memory.")
    with Image.open(io.BytesIO(apart.stdout)) as image:
        return np.asarray(image.convert("RGBA"))
