"""Moments between two frames: dense flow of what moves beside the background, both ways, and what is seen from where.

The background's motion is taken out first, so that however fast the camera turns, flow is only asked for what is left
of it: parallax, and what moves by itself (dense inverse search, Kroeger et al. 2016, doi:10.1007/978-3-319-46493-0_29).
Where the two ways do not lead back to where they began, one of the frames does not see what the other one does
(consistency after Sundaram et al. 2010, doi:10.1007/978-3-642-15549-9_32): there the moment is made from the one that
does. Where neither can be followed, the two are mixed as they lie.
"""

from dataclasses import dataclass
from functools import cached_property, lru_cache
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from clevrin.core.kernels import compiled
from clevrin.core.motion.geometry.models import scale_of

Field = NDArray[Any]
"""float32."""
Plane = NDArray[Any]
Matrix = NDArray[np.float64]

FLOW_WIDTH = 640
"""Flow is measured on pictures at most so wide: finer ones follow noise, and are no better (measured)."""
COARSE_WIDTH = FLOW_WIDTH // 2
"""And so wide, and more coarsely, for moments of which many lie on each other: their mean is as near to what an open
shutter sees (measured on four drawn takes that were truly shot so)."""
_FINER = 2
"""The background brings one frame onto the other in pictures so many times as wide."""
_OFF_PX, _OFF_SHARE = 0.5, 0.1
"""By how much the way there and back may miss: in pixels of the flow, and as a share of the flow."""
_NO_BETTER, _NO_BETTER_CODES, _WINDOW = 1.0, 0.05, 9
_LOOKS, _MISSES_PX, _CLOSE_PX, _FEW_OFF = 4, 0.7, 0.03, 0.001
_UNSEEN = np.float32(0.05)
"""How much what the other frame does not see counts beside what both see."""
_CUT_CODES, _CUT_ALIKE, _FLASH_CODES = 18.0, 0.5, 16.0
_SEEN_LEAST = np.float32(1e-3)
_TRUSTED = 0.3
_MOVES_SHARE, _CHANGES_CODES, _OVER_NOISE = 0.5 / FLOW_WIDTH, 4.0, 3.0
_MOST_REACH = 40


@dataclass(frozen=True, kw_only=True, eq=False)
class PairFlow:
    """What moves from one frame to another beside the background, in pixels of the flow.

    `forward` (h, w, 2): from the first frame's pixels, in its coordinates; `backward`: from those of the second one as
    the background brings it onto the first, back. `first_sure`, `second_sure` (h, w) 0 to 1: where either is seen in
    the other as well. `moving` (h, w) bool, of the first frame: where anything moves by itself, or changes, up to the
    second; where it has moved to and from where it has come count as well. `apart`: there is a cut or a flash between
    the two, and nothing leads from one to the other.
    """

    forward: Field
    backward: Field
    first_sure: Field
    second_sure: Field
    moving: NDArray[np.bool_]
    apart: bool

    @property
    def size(self) -> tuple[int, int]:
        return self.forward.shape[1], self.forward.shape[0]

    @cached_property
    def trust(self) -> float:
        """How much of the picture can be followed, 0 to 1."""
        if self.apart:
            return 0.0
        return float((np.maximum(self.first_sure, self.second_sure) > _TRUSTED).mean())


@dataclass(frozen=True, kw_only=True, eq=False)
class Moment:
    """Where a moment takes its pixels from, on the flow's own grid, in the first frame's coordinates.

    `field` (h, w, 5): `from_first`, `from_second` (h, w, 2) are displacements in pixels of the flow; `second` (h, w) is
    the second one's share.
    """

    field: Field

    @property
    def from_first(self) -> Field:
        return self.field[..., :2]

    @property
    def from_second(self) -> Field:
        return self.field[..., 2:4]

    @property
    def second(self) -> Field:
        return self.field[..., 4]


def flow_size(width: int, height: int, most: int = FLOW_WIDTH) -> tuple[int, int]:
    """The size at which the flow of a picture is measured, at `most` so wide."""
    scale = min(1.0, most / max(width, height))
    return max(16, round(width * scale)), max(16, round(height * scale))


def pair_flow(first: Plane, second: Plane, second_from_first: Matrix, most: int = FLOW_WIDTH) -> PairFlow:
    """The flow between two luma planes (h, w) of 8 or 16 bits; `second_from_first`: how the background moves.

    It is measured `most` pixels wide. Costs some 60 ms on one core for 640x360, and a tenth of that for half as wide.
    """
    a, b = _on_grid(first, second, second_from_first, flow_size(first.shape[1], first.shape[0], most))
    if np.array_equal(a, b):
        still, sure = np.zeros((*a.shape, 2), np.float32), np.ones(a.shape, np.float32)
        nothing = np.zeros(a.shape, bool)
        return PairFlow(forward=still, backward=still, first_sure=sure, second_sure=sure, moving=nothing, apart=False)
    preset = cv2.DISOPTICAL_FLOW_PRESET_MEDIUM if most > COARSE_WIDTH else cv2.DISOPTICAL_FLOW_PRESET_FAST
    forward, backward = (_needed(one, other, _flow(one, other, preset)) for one, other in ((a, b), (b, a)))
    apart = _apart(a, _looked_up(b, forward))
    return PairFlow(
        forward=forward,
        backward=backward,
        first_sure=_sure(forward, backward),
        second_sure=_sure(backward, forward),
        moving=np.ones(a.shape, bool) if apart else _moving(a, b, (forward, backward)),
        apart=apart,
    )


def _on_grid(first: Plane, second: Plane, second_from_first: Matrix, size: tuple[int, int]) -> tuple[Plane, Plane]:
    """Both pictures on the flow's grid, the second one where the background brings it onto the first."""
    height, width = first.shape
    a, b = _eight_bits(first), _eight_bits(second)
    fine = min(width, _FINER * size[0]), min(height, _FINER * size[1])
    if fine != (width, height):  # what is finer would be averaged away
        onto = scale_of((width, height), fine)
        second_from_first = onto @ second_from_first @ np.linalg.inv(onto)
        a, b = (cv2.resize(each, fine, interpolation=cv2.INTER_AREA) for each in (a, b))
    b = cv2.warpPerspective(
        b,
        second_from_first,
        fine,
        flags=cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP,
        borderMode=cv2.BORDER_REPLICATE,
    )
    a, b = (cv2.resize(each, size, interpolation=cv2.INTER_AREA) for each in (a, b))
    return a, b


def _moving(a: Plane, b: Plane, flows: tuple[Field, Field]) -> NDArray[np.bool_]:
    """See `PairFlow.moving`."""
    off = cv2.blur(cv2.absdiff(a, b).astype(np.float32), (_WINDOW, _WINDOW))
    moves = np.maximum(*(cv2.magnitude(each[..., 0], each[..., 1]) for each in flows))
    moving = (moves > _MOVES_SHARE * max(a.shape)) | (off > max(_CHANGES_CODES, _OVER_NOISE * float(np.median(off))))
    reach = 2 * min(_MOST_REACH, int(np.ceil(moves.max(initial=0.0)))) + 1
    return cv2.dilate(moving.astype(np.uint8), np.ones((reach, reach), np.uint8)) > 0


def moment(pair: PairFlow, share: float) -> Moment:
    """The moment so much of the way from the first frame to the second. Costs 60 ns for each pixel of the flow."""
    if compiled.library is None:
        return _plain_moment(pair, share)
    limits = _CLOSE_PX, _MISSES_PX, float(_UNSEEN), float(_SEEN_LEAST), _TRUSTED
    ways, sures = (pair.forward, pair.backward), (pair.first_sure, pair.second_sure)
    return Moment(field=compiled.moment_of_flow(ways, sures, share, looks=_LOOKS, limits=limits))


def _plain_moment(pair: PairFlow, share: float) -> Moment:
    """The same by many passes."""
    (shown_a, came_a), (shown_b, came_b) = _arriving(pair.forward, share), _arriving(pair.backward, 1 - share)
    sure_a = _looked_up(pair.first_sure, shown_a) * came_a
    sure_b = _looked_up(pair.second_sure, shown_b) * came_b
    # Where something comes from one side alone, that is what was uncovered, or is going to be covered.
    told = np.maximum(np.maximum(sure_a, sure_b), np.abs(came_a - came_b))
    trust = np.clip(told / np.float32(_TRUSTED), 0, 1)[..., None]
    of_a = np.float32(1 - share) * (sure_a + _UNSEEN * came_a) + _SEEN_LEAST
    of_b = np.float32(share) * (sure_b + _UNSEEN * came_b) + _SEEN_LEAST
    second = of_b / (of_a + of_b)
    return Moment(field=np.dstack([shown_a * trust, shown_b * trust, second]).astype(np.float32))


def _eight_bits(plane: Plane) -> NDArray[np.uint8]:
    return plane if plane.dtype == np.uint8 else (plane >> 8).astype(np.uint8)


def _flow(a: Plane, b: Plane, preset: int) -> Field:
    return np.asarray(cv2.DISOpticalFlow.create(preset).calc(a, b, None))


@lru_cache(maxsize=4)
def _grid(height: int, width: int) -> tuple[Field, Field]:
    """Columns and rows of each pixel; nobody writes to them."""
    y, x = np.mgrid[:height, :width].astype(np.float32)
    x.flags.writeable = y.flags.writeable = False
    return x, y


def _looked_up(values: Plane, shift: Field) -> Plane:
    """Values at places that are displaced by a field of their own size."""
    x, y = _grid(*shift.shape[:2])
    there = x + shift[..., 0], y + shift[..., 1]
    return cv2.remap(values, *there, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)


def _needed(a: Plane, b: Plane, flow: Field) -> Field:
    """A flow without what explains the picture no better than none: noise moves nothing."""
    window = (_WINDOW, _WINDOW)
    none = cv2.blur(cv2.absdiff(a, b).astype(np.float32), window)
    moved = cv2.blur(cv2.absdiff(a, _looked_up(b, flow)).astype(np.float32), window)
    better = np.clip((none - _NO_BETTER * moved - _NO_BETTER_CODES) / 0.1, 0, 1)
    return flow * cv2.blur(better, (5, 5))[..., None]


def _sure(there: Field, back: Field) -> Field:
    """Where the way there and back ends where it began."""
    miss = there + _looked_up(back, there)
    most = _OFF_PX + _OFF_SHARE * np.hypot(there[..., 0], there[..., 1])
    return np.exp(-((np.hypot(miss[..., 0], miss[..., 1]) / most) ** 2)).astype(np.float32)


def _arriving(flow: Field, share: float) -> tuple[Field, Field]:
    """From each place of the moment back to where what is there then comes from, along so much of a flow.

    And how far (h, w) 0 to 1, anything comes there at all: nothing does where something has moved away.
    """
    part = flow * np.float32(share)
    back = -part
    for _ in range(_LOOKS):
        before, back = back, -_looked_up(part, back)
        if (np.abs(back - before) > _CLOSE_PX).mean() < _FEW_OFF:
            break
    off = back + _looked_up(part, back)
    came = np.exp(-((np.hypot(off[..., 0], off[..., 1]) / _MISSES_PX) ** 2)).astype(np.float32)
    return back, came


def _apart(a: Plane, b: Plane) -> bool:
    small = [cv2.resize(each, (64, 36), interpolation=cv2.INTER_AREA).astype(np.float64) for each in (a, b)]
    off = small[1] - small[0]
    if abs(float(np.median(off))) > _FLASH_CODES and float(np.abs(off).mean()) > _FLASH_CODES:
        return True
    if float(np.abs(off).mean()) < _CUT_CODES:
        return False
    alike = np.corrcoef(small[0].reshape(-1), small[1].reshape(-1))[0, 1]
    return bool(not np.isfinite(alike) or alike < _CUT_ALIKE)
