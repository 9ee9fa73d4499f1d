"""One shot seen in a surface of another: how both lie while the gate goes through it. Pure."""

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from clevrin.core.join.kinds.kind import Move
from clevrin.core.matte.areas import quad_to_quad
from clevrin.core.motion.geometry.models import apply, gate_corners
from clevrin.core.render.planning.shot_map import ShotMap
from clevrin.core.render.resolving.resolving import Shown

Matrix = NDArray[np.float64]
Size = tuple[int, int]


def opened(shown: tuple[Shown, ...], reel_size: Size, size: Size) -> tuple[Shown, ...]:
    """The shots at a frame on an output of a size, those that a surface joins laid in each other.

    The picture of the one inside has the surface's corners for its own; the gate goes from the whole picture to the
    surface, its size by the same share in each frame, so that at last the one inside fills the picture as it lies by
    itself. Where the surface is not known there is nothing in it.
    """
    outside = next((each for each in shown if each.door is not None and not each.door.inside), None)
    if outside is None or outside.door is None:
        # Only one of both is seen: of a shot that is inside nothing, for there is no surface.
        return tuple(each for each in shown if each.door is None)
    corners = _corners(outside)
    if corners is None:
        return tuple(replace(each, door=None) for each in shown if each.door is None or not each.door.inside)
    whole = gate_corners(1, size[1] / size[0])
    src_from_screen = ShotMap.of(outside.resolved, reel_size, size).src_from_screen(outside.frame)
    seen = np.asarray(apply(np.asarray(np.linalg.inv(src_from_screen)), corners))
    into = quad_to_quad(seen, whole)
    gone, at, turns = outside.door.gone, outside.from_cut, outside.door.turns

    def gate(later: float) -> Matrix:
        share = gone(at + later)
        through = quad_to_quad(whole, whole + _share(share, seen, whole) * (seen - whole))
        return np.asarray(through @ _rolled(turns * share))

    def inner(later: float) -> Matrix:
        return np.asarray(into @ gate(later))

    laid = []
    for each in shown:
        if each.door is None:
            laid.append(each)
        elif each.door.inside:
            laid.append(replace(each, move=_shaken(inner, each.move), framed=True))
        else:
            laid.append(replace(each, move=_shaken(gate, each.move), rest=True))
    return tuple(laid)


def _rolled(turns: float) -> Matrix:
    """The screen turned about its middle."""
    angle = 2 * np.pi * turns
    return np.array([[np.cos(angle), np.sin(angle), 0], [-np.sin(angle), np.cos(angle), 0], [0, 0, 1.0]])


def _shaken(move: Move, shake: Move | None) -> Move:
    """A move of which the join moves the whole picture besides."""
    return move if shake is None else lambda later: np.asarray(move(later) @ shake(later))


def _corners(outside: Shown) -> Matrix | None:
    """The surface's corners at the frame that is shown; None where they were never seen."""
    followed = outside.resolved.surface
    if followed is None or not followed.known[outside.frame]:
        return None
    return np.asarray(followed.places[outside.frame])


def _share(gone: float, seen: Matrix, whole: Matrix) -> float:
    """How much of the way the corners have gone, so that the size changes by the same share in each part of it."""
    smaller = np.sqrt(_area(seen) / _area(whole))
    if abs(smaller - 1) < 1e-6:
        return gone
    return float((1 - smaller**gone) / (1 - smaller))


def _area(corners: Matrix) -> float:
    x, y = corners.T
    return max(1e-9, abs(float(np.dot(x, np.roll(y, -1)) - np.dot(y, np.roll(x, -1)))) / 2)
