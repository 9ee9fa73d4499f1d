"""A cut-out as it is kept: of each frame the part that it covers, packed."""

import zlib
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from clevrin.core.matte.matte import NOTHING, Stored
from clevrin.core.runs import runs_of

_FULL = 255.0
_MOST_STRETCHES = 4
UNSURE = 0.81
"""Under this, on subjects whose true coverage is known, less than eight tenths of it and of the mask were in common."""


@dataclass(frozen=True, kw_only=True, eq=False)
class CutFrames:
    """How a subject covers each frame, and how sure that is: (frames,) 0 to 1, 0 where it was lost."""

    covers: tuple[Stored, ...]
    sure: NDArray[np.float32]


def how_sure(sure: NDArray[np.float32]) -> str:
    """Where a cut-out is to be looked at, in sentences; empty where its edge is sure on every frame."""
    lost, unsure = sure == 0, (sure > 0) & (sure < UNSURE)
    if lost.all():
        return "No subject is found in the box."
    words = []
    if unsure.any():
        words.append(f"Its edge is unsure on {_stretches(unsure)}.")
    if lost.any():
        words.append(f"It is not there on {_stretches(lost)}.")
    return " ".join(words)


def _stretches(flags: NDArray[np.bool_]) -> str:
    """Where flags are set, as the first and the last frame of each stretch."""
    ends = runs_of(flags)
    shown = [f"{a} to {b - 1}" if b - a > 1 else f"{a}" for a, b in ends[:_MOST_STRETCHES]]
    one = len(ends) == 1 and ends[0][1] - ends[0][0] == 1
    return f"frame{'' if one else 's'} " + ", ".join(shown) + (" and more" if len(ends) > _MOST_STRETCHES else "")


def packed(left: int, top: int, cover: NDArray[np.float32]) -> Stored:
    """A part of a picture's coverage, 0 to 1; nothing of it where it is empty."""
    coded = np.round(cover * _FULL).clip(0, _FULL).astype(np.uint8)
    if not coded.any():
        return NOTHING
    x, y, width, height = cv2.boundingRect(coded)
    data = zlib.compress(np.ascontiguousarray(coded[y : y + height, x : x + width]).tobytes(), 6)
    return Stored(left=left + x, top=top + y, width=width, height=height, packed=data)


def as_arrays(frames: CutFrames) -> dict[str, NDArray]:
    """What the shelf keeps."""
    facts = [(each.left, each.top, each.width, each.height, len(each.packed)) for each in frames.covers]
    data = b"".join(each.packed for each in frames.covers)
    return {
        "facts": np.array(facts, np.int32).reshape(-1, 5),
        "data": np.frombuffer(data, np.uint8),
        "sure": frames.sure,
    }


def from_arrays(arrays: dict[str, NDArray], frames: int) -> CutFrames | None:
    """What was kept; None where it is damaged."""
    try:
        facts, data, sure = arrays["facts"], arrays["data"].tobytes(), arrays["sure"].astype(np.float32)
    except KeyError:
        return None
    if facts.shape != (frames, 5) or len(sure) != frames or facts[:, 4].sum() != len(data):
        return None
    covers, at = [], 0
    for left, top, width, height, count in facts.tolist():
        covers.append(Stored(left=left, top=top, width=width, height=height, packed=data[at : at + count]))
        at += count
    return CutFrames(covers=tuple(covers), sure=sure)
