"""Instants as people read and type them: minutes, seconds and frames, or a frame's number."""

import math
import re

from clevrin.core.errors import ClevrinError

_TYPED = re.compile(r"(?:(?:(\d{1,3}):)?(\d{1,4}):)?(\d{1,6})(?:[.,;](\d{1,4}))?")


def timecode(frame: int, rate: float) -> str:
    """Minutes, seconds and frames, as 1:04.12; frames are counted, so that every frame has one of its own."""
    whole = _whole(rate)
    seconds, part = divmod(frame, whole)
    return f"{seconds // 60}:{seconds % 60:02d}.{part:02d}"


def frame_of(text: str, rate: float, now: int) -> int:
    """The frame that a typed instant means; raises `ClevrinError` for what is none.

    `1:04.12` is a minute, 4 seconds and 12 frames, `4.12` seconds and frames, `1:04` minutes and seconds, `128`
    alone a frame's number; `+12` and `-12`, or `+1.0`, go on from the frame `now`.
    """
    typed = text.strip()
    way = {"+": 1, "-": -1, "−": -1}.get(typed[:1], 0)
    found = _TYPED.fullmatch(typed[1:].strip() if way else typed)
    if found is None:
        raise ClevrinError(f"'{text}' is no instant: type a frame as 128, or minutes, seconds and frames as 1:04.12.")
    hours, minutes, last, part = found.groups()
    if minutes is None and part is None:
        frame = int(last)
    else:
        seconds = int(hours or 0) * 3600 + int(minutes or 0) * 60 + int(last)
        frame = seconds * _whole(rate) + int(part or 0)
    return now + way * frame if way else frame


def _whole(rate: float) -> int:
    return max(1, math.ceil(rate - 1e-9))
