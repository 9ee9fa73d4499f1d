"""The middle of what is cut out, as something that is followed: a hold's anchor, what a gate goes with."""

import zlib

import numpy as np

from clevrin.core.matte.cutting.kept import CutFrames
from clevrin.core.matte.matte import Stored
from clevrin.core.motion.tracks.both_ways import Followed


def followed_middle(cut: CutFrames, said: tuple[int, ...]) -> Followed:
    """Where the middle of a subject is on each frame: the mean place of its coverage, NaN where it was lost.

    `said`: the frames on which somebody said something of it. It is lost where it ends beyond one of those.
    """
    frames = len(cut.covers)
    places = np.full((frames, 1, 2), np.nan)
    for frame, cover in enumerate(cut.covers):
        if cover.packed and cut.sure[frame] > 0:
            places[frame, 0] = _middle(cover)
    known = np.isfinite(places[:, 0, 0])
    placed = np.zeros(frames, bool)
    placed[[each for each in said if each < frames]] = True
    ends = np.flatnonzero(known[:-1] != known[1:])
    lost = tuple(int(each + 1 if known[each] else each) for each in ends)
    return Followed(places=places, confidence=np.where(known, cut.sure, 0.0), placed=placed & known, lost=lost)


def _middle(cover: Stored) -> tuple[float, float]:
    coded = np.frombuffer(zlib.decompress(cover.packed), np.uint8).reshape(cover.height, cover.width).astype(float)
    whole = coded.sum()
    x = (coded.sum(axis=0) @ np.arange(cover.width)) / whole
    y = (coded.sum(axis=1) @ np.arange(cover.height)) / whole
    return cover.left + float(x), cover.top + float(y)
