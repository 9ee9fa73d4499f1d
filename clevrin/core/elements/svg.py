"""Looks over an SVG and draws it, in a process of its own, which it may bring down or take for ever.

Run by its path, it imports nothing of ours, so that it is there in 30 ms. It reads what to draw with on a line of JSON
and the drawing after it from its input, and writes a PNG; what is wrong with a drawing it says in a sentence, in which
{name} stands for its file. Nothing is searched for in a text of no bounded length but with what takes one pass.
"""

import json
import re
import resource
import sys
from typing import Any
from xml.etree import ElementTree

REFUSED = 3
"""Its exit code where it says what is wrong."""
_SVG = "{http://www.w3.org/2000/svg}svg"
_OWN = ("#", "data:image/png", "data:image/jpeg", "data:image/gif", "data:image/webp")
_URL = re.compile(r"url\(", re.IGNORECASE)
_IMPORT = re.compile(r"@import", re.IGNORECASE)
_BLANKS_AND_QUOTES = " \t\r\n\f'\""
_LONGEST_LEAD = 100
_LENGTH = re.compile(r"\+?(\d*\.?\d+(?:e[+-]?\d+)?)(px|pt|pc|mm|cm|in|em|ex|)")
_NUMBER = re.compile(r"[+-]?\d*\.?\d+(?:[eE][+-]?\d+)?")
_LONGEST_SIZE = 100
"""Letters in which a drawing says its size."""
_MOST_PARTS = 1_000_000
_NO_SVG = "{name} is not a drawing that can be read as SVG."
_NO_SIZE = "{name} has no size: nothing of it would be seen."


class RefusedError(Exception):
    """Why a drawing is not drawn."""


def main() -> None:
    given = json.loads(sys.stdin.buffer.readline())
    for limit, most in (("RLIMIT_CORE", 0), ("RLIMIT_AS", given.pop("bytes")), ("RLIMIT_CPU", given.pop("seconds"))):
        resource.setrlimit(getattr(resource, limit), (most, most))
    import resvg_py

    longer, thinnest = given.pop("longer"), given.pop("thinnest")
    try:
        text, root = checked(sys.stdin.buffer.read())
        width, height = own_size(root, thinnest)
        size = {"width": longer, "height": None} if width >= height else {"width": None, "height": longer}
        draw: Any = resvg_py.svg_to_bytes  # what it says of itself does not fit names that are given together
        png = bytes(draw(svg_string=text, skip_system_fonts=True, **size, **given))
    except (RefusedError, ValueError, MemoryError, RecursionError) as error:
        sys.stderr.write(str(error) if isinstance(error, RefusedError) else _NO_SVG)
        sys.exit(REFUSED)
    sys.stdout.buffer.write(png)


def checked(data: bytes) -> tuple[str, ElementTree.Element]:
    """A drawing that names nothing outside of itself, as text and as the tree of its parts.

    Raises `RefusedError`, and where parts lie within parts without end `RecursionError`.
    """
    try:
        text = data.decode("utf-8-sig")
        lower = text.lower()
        if "<!doctype" in lower or "<!entity" in lower:
            raise RefusedError("{name} defines entities: such a drawing is not opened.")
        root = ElementTree.fromstring(text)
    except (UnicodeDecodeError, ElementTree.ParseError) as error:
        raise RefusedError(_NO_SVG) from error
    if root.tag != _SVG:
        raise RefusedError("{name} is not a drawing in SVG.")
    for each in root.iter():
        texts = [*each.attrib.values(), each.text or ""]
        links = [value for name, value in each.attrib.items() if name.rpartition("}")[2] in ("href", "src")]
        if not all(map(_is_own, links)) or any(_reaches_out(each) for each in texts):
            raise RefusedError("{name} names files or places on the network: it is not opened. Put them into it.")
    if _drawn_parts(root) > _MOST_PARTS:
        raise RefusedError("{name} repeats its parts too often to be drawn.")
    return text, root


def _is_own(link: str) -> bool:
    """Whether a link names a part of the drawing, or a picture that lies in it."""
    start = link[:_LONGEST_LEAD].lstrip().lower()
    if not start.startswith(_OWN):
        return False
    return start[0] == "#" or any(start[len(each) :][:1] in (";", ",") for each in _OWN[1:] if start.startswith(each))


def _reaches_out(text: str) -> bool:
    """Whether a text names something outside of the drawing."""
    if _IMPORT.search(text):
        return True
    starts = (text[found.end() : found.end() + _LONGEST_LEAD] for found in _URL.finditer(text))
    return any(not each.lstrip(_BLANKS_AND_QUOTES).startswith("#") for each in starts)


def own_size(root: ElementTree.Element, thinnest: float) -> tuple[float, float]:
    """Width and height that a drawing says it has, in units of its own. Raises `RefusedError`."""
    width, height, view = (root.get(name, "").strip() for name in ("width", "height", "viewBox"))
    if max(len(each) for each in (width, height, view)) > _LONGEST_SIZE:
        raise RefusedError(_NO_SIZE)
    sides, box = (_LENGTH.fullmatch(width), _LENGTH.fullmatch(height)), [float(each) for each in _NUMBER.findall(view)]
    if sides[0] is not None and sides[1] is not None and sides[0][2] == sides[1][2]:
        size = float(sides[0][1]), float(sides[1][1])
    elif len(box) == 4:
        size = box[2], box[3]
    else:
        raise RefusedError("{name} says no size: give it a width and a height, or a viewBox.")
    if not (0 < size[0] < 1e9 and 0 < size[1] < 1e9):
        raise RefusedError(_NO_SIZE)
    if max(size) > thinnest * min(size):
        raise RefusedError(f"{{name}} is a drawing of {size[0]:g}x{size[1]:g}: too thin to be pinned.")
    return size


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


if __name__ == "__main__":
    main()
