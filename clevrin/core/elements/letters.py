"""Words as a picture: set by FreeType and HarfBuzz, in the font that comes with Clevrin or one in a file."""

import os
from functools import lru_cache
from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from PIL import Image, ImageDraw, ImageFilter, ImageFont

from clevrin.core.document.pinned import Words
from clevrin.core.errors import MediaError
from clevrin.core.media.door import regular_file

FONTS = Path(__file__).parent / "fonts"
FONT = FONTS / "AtkinsonHyperlegibleNext_600SemiBold.ttf"

LONGEST_PX = 2048
"""Words are always set so large, and made smaller from there: set at another size letters would move."""
_TRIED_PX = 200.0
_TALLEST_PX = 1000.0
_LINE = 1.2
_LARGEST_FONT_BYTES = 64 * 1024 * 1024
_SOFT = 0.35
_SHADOW = 0.7


def missing_letters(words: Words) -> str:
    """The letters of some words that their font does not have, each once; raises `MediaError` for what is no font."""
    has = _letters_of(*_known_file(words.font))
    return "".join(dict.fromkeys(each for each in words.text if not each.isspace() and ord(each) not in has))


def set_words(words: Words) -> NDArray[np.uint8]:
    """RGBA (h, w, 4), not multiplied: words as large as needed at most, with their outline and shadow.

    The longer side is about `LONGEST_PX`. Raises `MediaError` where the font cannot be used, or has not all letters.
    Costs some 20 ms.
    """
    missing = missing_letters(words)
    if missing:
        raise MediaError(f"The font has no letters for {missing_words(missing)}: choose another font, or other words.")
    tried = _extent(words, _TRIED_PX)
    px = min(_TALLEST_PX, _TRIED_PX * LONGEST_PX / max(tried[2] - tried[0], tried[3] - tried[1], 1.0))
    left, top, right, bottom = _extent(words, px)
    margin = 2 + int(np.ceil(words.shadow * px * (1 + 2 * _SOFT)))
    size = int(right - left) + 2 * margin, int(bottom - top) + 2 * margin
    at = margin - left, margin - top
    image = Image.new("RGBA", size, (*_rgb(words.colour), 0))
    stroke = words.outline * px
    if words.shadow > 0:
        image = _shadowed(words, px, size, at)
    ink = Image.new("L", size, 0)
    _draw(ImageDraw.Draw(ink), words, px, at, stroke)
    image = _over(image, words.outline_colour if stroke else words.colour, ink)
    if stroke:
        inner = Image.new("L", size, 0)
        _draw(ImageDraw.Draw(inner), words, px, at, 0.0)
        image = _over(image, words.colour, inner)
    return np.asarray(image)


def missing_words(letters: str) -> str:
    """Letters as they are named in a sentence."""
    named = ", ".join(f"'{each}'" for each in letters[:5])
    return f"{named} and {len(letters) - 5} more" if len(letters) > 5 else named


def _shadowed(words: Words, px: float, size: tuple[int, int], at: tuple[float, float]) -> Image.Image:
    """What words throw behind them: dark, soft, to the lower right."""
    shade = Image.new("L", size, 0)
    off = words.shadow * px / 2
    _draw(ImageDraw.Draw(shade), words, px, (at[0] + off, at[1] + off), words.outline * px)
    soft = shade.filter(ImageFilter.GaussianBlur(words.shadow * px * _SOFT))
    dark = Image.new("RGBA", size, (0, 0, 0, 0))
    dark.putalpha(soft.point(lambda value: value * _SHADOW))
    return dark


def _over(image: Image.Image, colour: str, ink: Image.Image) -> Image.Image:
    """A colour laid over an image where there is ink."""
    layer = Image.new("RGBA", image.size, (*_rgb(colour), 0))
    layer.putalpha(ink)
    return Image.alpha_composite(image, layer)


def _draw(draw: ImageDraw.ImageDraw, words: Words, px: float, at: tuple[float, float], stroke: float) -> None:
    # Line by line: Pillow's own lines stand further apart with an outline, and one would not lie about its letters.
    font = _font(words.font, px)
    for number, line in enumerate(words.text.splitlines()):
        place = at[0], at[1] + number * px * _LINE
        draw.text(place, line, fill=255, font=font, anchor="ms", stroke_width=stroke)


def _extent(words: Words, px: float) -> tuple[float, float, float, float]:
    """Left, top, right, bottom of words whose first line stands in the middle over (0, 0)."""
    font, stroke = _font(words.font, px), words.outline * px
    boxes = [
        (left, top + number * px * _LINE, right, bottom + number * px * _LINE)
        for number, line in enumerate(words.text.splitlines())
        for left, top, right, bottom in [font.getbbox(line, anchor="ms", stroke_width=stroke)]
    ]
    low, high = np.min(boxes, axis=0), np.max(boxes, axis=0)
    return float(low[0]), float(low[1]), float(high[2]), float(high[3])


def _font(path: str, px: float) -> ImageFont.FreeTypeFont:
    try:
        return ImageFont.truetype(str(path or FONT), px)
    except (OSError, ValueError) as error:
        raise _no_font(path) from error


def _known_file(path: str) -> tuple[str, int, int]:
    """A font's file, its size and time; raises `MediaError` where it is none."""
    where = Path(path or FONT)
    descriptor = regular_file(where)
    try:
        found = os.fstat(descriptor)
    finally:
        os.close(descriptor)
    if found.st_size > _LARGEST_FONT_BYTES:
        raise MediaError(f"{where.name} is too large to be a font.")
    return str(where), found.st_size, found.st_mtime_ns


@lru_cache(maxsize=8)
def _letters_of(path: str, size: int, changed_ns: int) -> frozenset[int]:
    from fontTools.ttLib import TTFont, TTLibError

    try:
        with Path(path).open("rb") as file, TTFont(file, fontNumber=0, lazy=True) as font:
            table = font.getBestCmap()
    except (TTLibError, OSError, KeyError, ValueError, AssertionError) as error:
        raise _no_font(path) from error
    if not table:
        raise _no_font(path)
    return frozenset(table)


def _no_font(path: str) -> MediaError:
    return MediaError(f"{Path(path).name} is not a font that can be used: TrueType or OpenType is wanted.")


def _rgb(colour: str) -> tuple[int, int, int]:
    return int(colour[1:3], 16), int(colour[3:5], 16), int(colour[5:7], 16)
