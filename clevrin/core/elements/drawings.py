"""Pictures in files as elements: PNG and JPEG, and drawings in SVG, which may name nothing outside of themselves."""

import io
import json
import os
import re
import struct
import subprocess
import sys
from pathlib import Path
from xml.etree import ElementTree

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
_SVG = "{http://www.w3.org/2000/svg}svg"
_OWN = re.compile(r"\s*(#|data:image/(png|jpeg|gif|webp)[;,])", re.IGNORECASE)
_URL = re.compile(r"url\(\s*['\"]?\s*(?!['\"]?\s*#)", re.IGNORECASE)
_IMPORT = re.compile(r"@import", re.IGNORECASE)
_LENGTH = re.compile(r"\+?(\d*\.?\d+(?:e[+-]?\d+)?)(px|pt|pc|mm|cm|in|em|ex|)")
_NUMBER = re.compile(r"[+-]?\d*\.?\d+(?:[eE][+-]?\d+)?")
_MOST_PARTS = 1_000_000
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
    if len(data) > _LARGEST_SVG_BYTES:
        raise MediaError(f"{path.name} is too large to be pinned.")
    text, root = _checked(path, data)
    width, height = _own_size(path, root)
    longer = 2 * LONGEST_PX // 3
    try:
        png = _svg(text, longer, None) if width >= height else _svg(text, None, longer)
    except ValueError as error:
        raise MediaError(f"{path.name} is not a drawing that can be read as SVG.") from error
    with Image.open(io.BytesIO(png)) as image:
        return np.asarray(image.convert("RGBA"))


def _own_size(path: Path, root: ElementTree.Element) -> tuple[float, float]:
    """Width and height that a drawing says it has, in units of its own."""
    sides = [_LENGTH.fullmatch(root.get(name, "").strip()) for name in ("width", "height")]
    box = [float(each) for each in _NUMBER.findall(root.get("viewBox", ""))]
    if sides[0] is not None and sides[1] is not None and sides[0][2] == sides[1][2]:
        size = float(sides[0][1]), float(sides[1][1])
    elif len(box) == 4:
        size = box[2], box[3]
    else:
        raise MediaError(f"{path.name} says no size: give it a width and a height, or a viewBox.")
    if not (0 < size[0] < 1e9 and 0 < size[1] < 1e9):
        raise MediaError(f"{path.name} has no size: nothing of it would be seen.")
    _check_size(path, *(side / max(size) * LONGEST_PX for side in size))
    return size


def _svg(text: str, width: int | None, height: int | None) -> bytes:
    """A drawing as PNG; raises `ValueError` where it cannot be drawn."""
    fonts = [str(each) for each in sorted(FONTS.glob("*.ttf"))]
    families = dict.fromkeys(("font_family", "serif_family", "sans_serif_family", "monospace_family"), _FAMILY)
    drawn_with = json.dumps({"width": width, "height": height, "font_files": fonts, **families})
    given = f"{drawn_with}\n{text}".encode()
    apart = subprocess.run([sys.executable, "-I", svg.__file__], input=given, capture_output=True, check=False)
    if apart.returncode:
        raise ValueError(apart.stderr.decode(errors="replace"))
    return apart.stdout


def _checked(path: Path, data: bytes) -> tuple[str, ElementTree.Element]:
    """A drawing that names nothing outside of itself, as text and as the tree of its parts."""
    try:
        text = data.decode("utf-8-sig")
        if "<!doctype" in text.lower() or "<!entity" in text.lower():
            raise MediaError(f"{path.name} defines entities: such a drawing is not opened.")
        root = ElementTree.fromstring(text)
    except (UnicodeDecodeError, ElementTree.ParseError, RecursionError) as error:
        raise MediaError(f"{path.name} is not a drawing that can be read as SVG.") from error
    if root.tag != _SVG:
        raise MediaError(f"{path.name} is not a drawing in SVG.")
    for each in root.iter():
        texts = [*each.attrib.values(), each.text or ""]
        links = [value for name, value in each.attrib.items() if name.rpartition("}")[2] in ("href", "src")]
        if any(not _OWN.match(link) for link in links) or any(_URL.search(t) or _IMPORT.search(t) for t in texts):
            raise MediaError(f"{path.name} names files or places on the network: it is not opened. Put them into it.")
    try:
        too_often = _drawn_parts(root) > _MOST_PARTS
    except RecursionError as error:  # parts within parts, without end
        raise MediaError(f"{path.name} is not a drawing that can be read as SVG.") from error
    if too_often:
        raise MediaError(f"{path.name} repeats its parts too often to be drawn.")
    return text, root


def _drawn_parts(root: ElementTree.Element) -> int:
    """How many parts are drawn, with what is used again each time; over `_MOST_PARTS` where it never ends."""
    named = {name: each for each in root.iter() if (name := each.get("id")) is not None}
    known: dict[int, int] = {}

    def count(part: ElementTree.Element) -> int:
        if id(part) in known:
            return known[id(part)]
        known[id(part)] = _MOST_PARTS + 1  # what comes back to itself
        links = [value for name, value in part.attrib.items() if name.rpartition("}")[2] == "href"]
        used = [named[link[1:]] for link in links if link[1:] in named]
        known[id(part)] = min(_MOST_PARTS + 1, 1 + sum(map(count, [*part, *used])))
        return known[id(part)]

    return count(root)
