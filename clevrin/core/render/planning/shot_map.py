"""Where the picture of a shot lies on an output: its fit, mirroring and turns, and the path that holds it. Pure."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from clevrin.core.document.model import Fit, Mirror, Turns, mirror_signs
from clevrin.core.render.resolving.resolving import Held, ResolvedShot

Matrix = NDArray[np.float64]
Size = tuple[int, int]


@dataclass(frozen=True, kw_only=True, eq=False)
class ShotMap:
    """How an output of a `size` in pixels lies on the picture of a shot's take.

    `held_from_out` (3, 3) takes pixels of the output to those of the held picture; made once for all that is laid.
    """

    resolved: ResolvedShot
    size: Size
    held_from_out: Matrix

    @staticmethod
    def of(resolved: ResolvedShot, reel_size: Size, size: Size) -> "ShotMap":
        shot, facts = resolved.shot, resolved.take.facts
        source = facts.width, facts.height
        held_from_out = reel_map(source, reel_size, size, shot.mirror, shot.turns, resolved.fit)
        return ShotMap(resolved=resolved, size=size, held_from_out=held_from_out)

    def src_from_out(self, frame: int) -> Matrix:
        """(3, 3): pixels of the output to pixels of a frame of the take."""
        state = self.resolved.state
        return np.asarray(state.path.at(frame) @ self.held_from_out) if isinstance(state, Held) else self.held_from_out

    def src_from_screen(self, frame: int) -> Matrix:
        """(3, 3): places on the screen, in widths from its middle, to pixels of a frame of the take."""
        return np.asarray(self.src_from_out(frame) @ units(self.size)[1])

    @property
    def window(self) -> tuple[float, float, float, float] | None:
        """The outer edges of what is shown, in pixels of the output; None where it fills all of it."""
        state, facts = self.resolved.state, self.resolved.take.facts
        source, share = (facts.width, facts.height), state.path.window if isinstance(state, Held) else 1.0
        if share < 1 or (self.resolved.fit != "fill" and not _fills(self.held_from_out, source, self.size)):
            return _window(share, self.held_from_out, source)
        return None


def reel_map(
    source: tuple[int, int],
    reel_size: tuple[int, int],
    size: tuple[int, int],
    mirror: Mirror = None,
    turns: Turns = 0,
    fit: Fit = "fill",
) -> Matrix:
    """Pixels of the reel's picture at a size to pixels of a (held) picture as large as the source."""
    turned = source[::-1] if turns % 2 else source
    fitted = fit_map(turned, reel_size, whole=fit != "fill")
    return _quarter_turns(source, turns) @ fitted @ _flip(mirror, reel_size) @ fit_map(reel_size, size)


def fitted_size(source: tuple[int, int], within: tuple[int, int]) -> tuple[int, int]:
    """The largest even size of the source's shape that fits into another, at least 2x2."""
    scale = min(within[0] / source[0], within[1] / source[1])
    width, height = (max(2, int(side * scale / 2 + 1e-6) * 2) for side in source)
    return width, height


def units(size: Size) -> tuple[Matrix, Matrix]:
    """From output pixels to picture widths from the middle, and back."""
    width, height = size
    to_unit = np.array([[1 / width, 0, -(width - 1) / 2 / width], [0, 1 / width, -(height - 1) / 2 / width], [0, 0, 1]])
    return to_unit, np.asarray(np.linalg.inv(to_unit))


def _quarter_turns(source: tuple[int, int], turns: Turns) -> Matrix:
    """Pixels of a picture that was turned anticlockwise, so many times a quarter, to those of the picture itself."""
    w, h = source
    return {
        0: np.eye(3),
        1: np.array([[0.0, -1, w - 1], [1, 0, 0], [0, 0, 1]]),
        2: np.array([[-1.0, 0, w - 1], [0, -1, h - 1], [0, 0, 1]]),
        3: np.array([[0.0, 1, 0], [-1, 0, h - 1], [0, 0, 1]]),
    }[turns]


def _fills(held_from_out: Matrix, source: tuple[int, int], size: tuple[int, int]) -> bool:
    """Whether a picture reaches the edges of an output all around."""
    left, top, right, bottom = _window(1.0, held_from_out, source)
    return left <= 0 and top <= 0 and right >= size[0] - 1 and bottom >= size[1] - 1


def _window(share: float, held_from_out: Matrix, source: tuple[int, int]) -> tuple[float, float, float, float]:
    """The outer edges, in output pixels, of a share of the held picture about its middle."""
    centre = (np.array(source) - 1) / 2
    half = np.array(source) * share / 2
    out_from_held = np.linalg.inv(held_from_out)
    corners = np.array([[*(centre - half), 1.0], [*(centre + half), 1.0]]) @ out_from_held.T
    (left, top), (right, bottom) = np.sort(corners[:, :2] / corners[:, 2:], axis=0)
    return float(left), float(top), float(right), float(bottom)


def fit_map(source: tuple[int, int], out: tuple[int, int], *, whole: bool = False) -> Matrix:
    """Output pixels to source pixels: the source covers the output, or is `whole` in it, centred, its shape kept."""
    scale = (max if whole else min)(source[0] / out[0], source[1] / out[1])
    x, y = ((s - 1) / 2 - scale * (o - 1) / 2 for s, o in zip(source, out, strict=True))
    return np.array([[scale, 0, x], [0, scale, y], [0, 0, 1]])


def _flip(mirror: Mirror, size: tuple[int, int]) -> Matrix:
    matrix = np.eye(3)
    for axis, (sign, side) in enumerate(zip(mirror_signs(mirror), size, strict=True)):
        if sign < 0:
            matrix[axis, axis], matrix[axis, 2] = -1, side - 1
    return matrix
