"""A film of a striped figure that goes before a textured ground, with how much of each frame it covers."""

from fractions import Fraction
from pathlib import Path

import cv2
import numpy as np

from clevrin.core.document import Around
from clevrin.core.media.picture import picture_from_rgb
from clevrin.core.media.writing import FilmWriter
from tests.films import texture

SIZE = (256, 144)
FRAMES = 26
AT = 12


class Walking:
    """A striped figure that goes before a textured ground while the camera pans; what of it is covered is known."""

    def __init__(self, folder: Path, speed: float = 4.0, leaves_at: int | None = None) -> None:
        ground = texture(3, 400)[100:244, :400].astype(np.float32)
        y, x = np.mgrid[:144, :256].astype(np.float32)
        self.true, frames = [], []
        for k in range(FRAMES):
            pan = 2.0 * k
            seen = cv2.warpAffine(ground, np.float32([[1, 0, -pan], [0, 1, 0]]), SIZE)
            middle = 60 + speed * k - pan
            cover = (((x - middle) / 13) ** 2 + ((y - 76) / 36) ** 2 < 1).astype(np.float32)
            if leaves_at is not None and k >= leaves_at:
                cover[:] = 0
            cover = cv2.GaussianBlur(cover, (0, 0), 0.7)
            stripes = np.where((y // 8).astype(int) % 2 == 0, 1.0, 0.0)[..., None]
            figure = stripes * [205, 60, 50] + (1 - stripes) * [60, 70, 200]
            rgb = (seen if seen.ndim == 3 else np.repeat(seen[..., None], 3, axis=2)) * [0.5, 0.9, 0.5]
            frames.append((rgb * (1 - cover[..., None]) + figure * cover[..., None]).clip(0, 255).astype(np.uint8))
            self.true.append(cover)
        folder.mkdir(exist_ok=True)
        self.path = folder / "walk.mp4"
        with FilmWriter(self.path, rate=Fraction(25), size=SIZE, quality=10) as writer:
            for each in frames:
                writer.write(picture_from_rgb(each))
        self.chain = np.array([[[1, 0, -2.0 * k], [0, 1, 0], [0, 0, 1]] for k in range(FRAMES)], float)

    def around(self, frame: int = AT) -> Around:
        left, top, width, height = cv2.boundingRect((self.true[frame] > 0.5).astype(np.uint8))
        return Around(frame=frame, box=(left - 3, top - 3, left + width + 3, top + height + 3))
