"""The shake that any made join can have: that of a rig preset, strongest at the cut."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from functools import lru_cache
from math import exp, pi, sin
from typing import TYPE_CHECKING

import numpy as np

from clevrin.core.document.loans import RIGS
from clevrin.core.importing import importing
from clevrin.core.join.kinds.kind import SEED, JoinSetting, Made, Matrix, Move, Part, shift, turn_and_grow
from clevrin.core.motion.rig import rig_course

if TYPE_CHECKING:
    from scipy.interpolate import CubicSpline

_BY, _LEVEL, _NOTHING = "shaken_by", "shaken", "nothing"
SHAKE_OF_IT = (
    JoinSetting(
        id=_BY,
        title="Shaken by",
        default=_NOTHING,
        options=(_NOTHING, *RIGS),
        help="The whole picture is shaken as by these hands or wheels while the join lasts",
    ),
    JoinSetting(
        id=_LEVEL,
        title="Shaken",
        default=1.0,
        unit="times",
        low=0,
        high=8,
        step=0.1,
        help="How many times as strongly as the rig by itself, at the cut",
    ),
)
"""Settings that every kind has that lasts; where a kind has no seed it gets one for this."""


def with_shake(part: Callable[[Made, float, bool], Part]) -> Callable[[Made, float, bool], Part]:
    """What a side shows, with the shake of its join: the same on both sides, so that nothing jumps at the cut."""

    def shaken(made: Made, at: float, leaving: bool) -> Part:
        shown = part(made, at, leaving)
        if made.values.get(_BY, _NOTHING) == _NOTHING or made.number(_LEVEL) <= 0:
            return shown
        return replace(shown, move=_shaken(made, shown.move))

    return shaken


def _shaken(made: Made, move: Move | None) -> Move:
    level = made.number(_LEVEL)
    hand = _hand(made.word(_BY), round(made.number(SEED.id)), made.before + made.after, made.sides.rate)

    def both(time: float) -> Matrix:
        x, y, roll, zoom = hand(time + made.before) * (level * _strength(made, time))
        shake = shift(x, -y) @ turn_and_grow(roll, exp(zoom))
        return np.asarray(shake if move is None else move(time) @ shake)

    return both


def _strength(made: Made, time: float) -> float:
    """How strong the shake is: most at the cut, or in the middle of a join that lies on one side of it alone."""
    if made.before and made.after:
        return made.course.strength(time)
    share = (time + made.before) / max(1, made.before + made.after)
    return sin(pi * share) ** 2 if 0 < share < 1 else 0.0


@lru_cache(maxsize=32)
def _hand(rig: str, seed: int, frames: int, rate: float) -> CubicSpline:
    """Where a rig has the camera, by the frames of the reel since the join began."""
    with importing:
        from scipy.interpolate import CubicSpline

    known = next(each for each in RIGS if each == rig)
    return CubicSpline(np.arange(-2, frames + 3), rig_course(known, seed, frames + 5, rate))
