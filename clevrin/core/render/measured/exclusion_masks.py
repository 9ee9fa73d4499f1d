"""Areas of a take that do not count when its motion is measured, as masks of its frames."""

from pathlib import Path

import cv2
import numpy as np

from clevrin.core.document import Take
from clevrin.core.media.reading import FilmReader
from clevrin.core.motion.matching.working_picture import Mask
from clevrin.core.motion.measuring.left_out import Masks
from clevrin.core.progress import Progress, step
from clevrin.core.render.measured.carried import AreaKnown, cover_of, mask_size

_COUNTS = 0.2
_BESIDE = 3
"""What is followed about a corner reaches so many pixels of a mask beside it."""


def masked_as(take: Take) -> str:
    """By what the masks of a take are known: what they depend on."""
    return repr((take.measured_as, take.all_counted.measured_as))


def masks_of(take: Take, areas: tuple[AreaKnown, ...], progress: Progress) -> Masks:
    """What does not count of each frame of a take: all that one of its areas holds, and a little beside it.

    Raises `MediaError` where colours are looked for in frames that cannot be read. Costs 1 to 3 ms a frame, with
    areas of colours the reading of the film as well; takes 7 kB a frame.
    """
    facts = take.facts
    size = mask_size(take)  # corners are followed on pictures of twice that
    beside = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * _BESIDE + 1, 2 * _BESIDE + 1))
    masks: list[Mask] = []
    with FilmReader(Path(take.path)) as film:
        covers = [cover_of(each, take, size, film) for each in areas]
        for frame in range(facts.frames):
            whole = np.zeros((size[1], size[0]), bool)
            for cover in covers:
                whole |= cover(frame) > _COUNTS
            masks.append(cv2.dilate(whole.astype(np.uint8), beside).astype(bool))
            step(progress, frame + 1, facts.frames)
    return Masks.of(masks, masked_as(take))
