"""Small moving pictures for a look: WebP and GIF, without sound, over and over."""

from collections.abc import Iterable, Iterator
from itertools import pairwise
from pathlib import Path

import cv2
from PIL import Image

from clevrin.core.media.colouring import shown
from clevrin.core.media.picture import Picture, rgb_from_picture
from clevrin.core.outputs import put, writing_error

WIDEST = 640
LONGEST_S = 60.0
"""Longer ones are no loops, and take much memory where they are shown."""


def write_loop(
    path: Path,
    pictures: Iterable[Picture],
    frames: int,
    rate: float,
    *,
    quality: int = 70,
    never: Iterable[Path] = (),
) -> None:
    """Writes so many pictures as a loop, no wider than 640 pixels, as the name of the file says: .webp or .gif.

    It is whole or absent. Raises `MediaError`, and lets errors of `pictures` through. Costs 20 to 60 ms a picture.
    """
    tick = 10 if path.suffix.lower() == ".gif" else 1  # ms: each is shown so long that none is ever late
    ends = [round(1000 * k / rate / tick) * tick for k in range(frames + 1)]
    try:
        with put(path, never) as part:
            images = _images(pictures)
            first = next(images)
            first.save(
                part,
                format="GIF" if tick > 1 else "WEBP",
                save_all=True,
                append_images=images,
                duration=[b - a for a, b in pairwise(ends)],
                loop=0,
                quality=quality,
            )
    except OSError as error:
        raise writing_error(path, error) from error


def _images(pictures: Iterable[Picture]) -> Iterator[Image.Image]:
    for picture in pictures:
        rgb = rgb_from_picture(shown(picture))
        height, width = rgb.shape[:2]
        if width > WIDEST:
            rgb = cv2.resize(rgb, (WIDEST, max(1, round(height * WIDEST / width))), interpolation=cv2.INTER_AREA)
        yield Image.fromarray(rgb)
