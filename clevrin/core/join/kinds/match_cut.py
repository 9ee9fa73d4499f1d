"""Two pictures laid on each other at the cut, so that the same thing stands at the same place, and eased back."""

from cmath import exp as cexp
from cmath import log as clog
from math import radians

import numpy as np

from clevrin.core.join.kinds.kind import (
    LENGTH,
    PEAK,
    Fit,
    JoinSetting,
    Kind,
    Made,
    Matrix,
    Part,
    Seen,
    all_of_it,
    as_usual,
    nearness_in_time,
    softly,
)

_STRAIGHT = 1e-9


def _part(made: Made, at: float, leaving: bool) -> Part:
    frames = max(1, made.before if leaving else made.after)
    share = {"incoming": 0.0, "outgoing": 1.0, "both": 0.5}[made.word("who")]
    whole = laid(*(made.number(name) for name in ("x", "y", "turn", "times")))
    near = nearness(whole, share, made.sides.aspect)

    def move(time: float) -> Matrix:
        held = softly(nearness_in_time(time, frames))
        own = -share * held if leaving else (1 - share) * held
        return power(whole, own) @ np.diag([near**held, near**held, 1.0])

    return all_of_it(at, leaving, move)


def laid(x: float, y: float, turn: float, times: float) -> Matrix:
    """Places of the outgoing picture to those of the incoming one that are laid on them, in widths, y down.

    What is at the middle there is here at (x, y); turned by `turn` degrees, `times` as large.
    """
    a = times * cexp(1j * radians(turn))
    return np.array([[a.real, -a.imag, x], [a.imag, a.real, y], [0, 0, 1.0]])


def power(similarity: Matrix, share: float) -> Matrix:
    """A part of a similarity, along its own one-parameter group: half of it twice is the whole."""
    a, b = complex(similarity[0, 0], similarity[1, 0]), complex(similarity[0, 2], similarity[1, 2])
    part = cexp(share * clog(a))
    moved = share * b if abs(a - 1) < _STRAIGHT else b * (part - 1) / (a - 1)
    return np.array([[part.real, -part.imag, moved.real], [part.imag, part.real, moved.imag], [0, 0, 1.0]])


def nearness(whole: Matrix, share: float, aspect: float) -> float:
    """By how much both sides have to come nearer at the cut (1: not at all) that neither shows its edge."""
    corners = np.array([[x, y * aspect, 1.0] for x in (-0.5, 0.5) for y in (-0.5, 0.5)])
    half = np.array([0.5, aspect / 2])
    low, high = 0.05, 1.0
    ways = [power(whole, -share), power(whole, 1 - share)]

    def inside(near: float) -> bool:
        scaled = corners * [near, near, 1.0]
        return all(bool((np.abs((scaled @ way.T)[:, :2]) <= half + 1e-9).all()) for way in ways)

    if inside(1.0):
        return 1.0
    for _ in range(24):
        middle = (low + high) / 2
        low, high = (middle, high) if inside(middle) else (low, middle)
    return low


def _fits(seen: Seen) -> Fit:
    return Fit(score=12, why="Lays the two pictures on each other: by what is followed in both, or as a whole.")


MATCH_CUT = Kind(
    id="match cut",
    help="The same thing stands at the same place on both sides of the cut, and the gate eases back",
    long=True,
    lays=True,
    settings=(
        as_usual(LENGTH, 24.0),
        JoinSetting(
            id="who",
            title="Who moves",
            help="Which side comes to lie on the other one: the incoming, the outgoing, or half each",
            default="incoming",
            options=("incoming", "outgoing", "both"),
        ),
        JoinSetting(
            id="x", title="Across", help="How far apart they are, across", default=0.0, unit="widths", low=-1, high=1
        ),
        JoinSetting(
            id="y", title="Down", help="How far apart they are, down", default=0.0, unit="widths", low=-1, high=1
        ),
        JoinSetting(
            id="turn",
            title="Turn",
            help="By how much they are turned against each other",
            default=0.0,
            unit="°",
            low=-180,
            high=180,
            step=0.5,
        ),
        JoinSetting(
            id="times",
            title="Size",
            help="How many times as large the thing is in the incoming picture",
            default=1.0,
            unit="times",
            low=0.1,
            high=10,
            step=0.01,
        ),
        PEAK,
    ),
    part=_part,
    fits=_fits,
)
