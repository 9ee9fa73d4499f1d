"""A pattern that is followed from frame to frame: a patch of a picture, and the map by which it lies in each frame."""

from dataclasses import dataclass

import cv2
import numpy as np

from clevrin.core.motion.geometry.direct import most_alike
from clevrin.core.motion.geometry.models import Matrix, Points, apply, translation
from clevrin.core.motion.matching.working_picture import Gray

_LONGEST_SIDE = 120
"""Samples along the longer side of a surface's patch."""
_FEWEST = 9
_ADAPTING = 0.06
_ADAPTS = (0.78, 0.93)
"""Agreement within which a pattern takes on a little of what it sees: it is surely there, but looks otherwise. While
it agrees better it stays as it was: every change lets it creep (measured: 0.8 px in 80 frames, 0.3 px without)."""
_UNTIL = (cv2.TERM_CRITERIA_COUNT | cv2.TERM_CRITERIA_EPS, 40, 1e-4)
_UNFITTED = 0.8
"""How far a place is trusted that was found by correlation and could not be fitted."""
_WIDEST_SEARCH = 90
_MOST_CHANGE = 0.35
"""By how much a pattern's area may differ from one frame to the next, as a natural logarithm."""


@dataclass(frozen=True, kw_only=True, eq=False)
class Sighting:
    """Where a pattern lies in a frame: `frame_from_patch` (3, 3), and how well it agrees, 0 to 1."""

    frame_from_patch: Matrix
    agreement: float


class Pattern:
    """A point's or a surface's patch.

    It is looked for by normalised correlation in an area that grows with its speed, on the frame drawn as the patch
    lay before, so that it may turn; then fitted to a fraction of a pixel by the enhanced correlation coefficient
    (Evangelidis & Psarakis 2008, doi:10.1109/TPAMI.2008.113) with six parameters for a point and eight for a
    surface. It adapts slowly, always in its own coordinates, so that it cannot creep away from what it was.
    """

    def __init__(self, luma: Gray, places: Points, reach_px: float) -> None:
        """`places` (1, 2) or (4, 2) in pixels of the frame `luma` (h, w) uint8."""
        self.flat = len(places) == 4
        self.home, self._size = _surface_patch(places) if self.flat else _point_patch(places[0], reach_px)
        self._patch = _drawn(luma, self.home, self._size, (0, 0)).astype(np.float32)
        weight = np.ones_like(self._patch) if self.flat else cv2.createHanningWindow(self._size, cv2.CV_32F)
        self._weight = weight / weight.sum()

    @property
    def textured(self) -> bool:
        """Whether there is anything in it by which it can be known again."""
        return bool(self._patch.std() > 2.0)

    def places(self, at: Matrix) -> Points:
        """The point (1, 2), or the corners (4, 2), for a place of the patch."""
        if self.flat:
            return _outline(at, self._size)
        width, height = self._size
        return apply(at, np.array([[(width - 1) / 2, (height - 1) / 2]]))

    def looked_for(self, luma: Gray, expected: Matrix, search_px: float) -> Sighting | None:
        """The pattern in a frame, within `search_px` of where it is expected; None where it is not seen at all."""
        scale = _scale_of(expected, self._size)
        margin = int(np.clip(np.ceil(search_px / max(scale, 1e-3)), 3, _WIDEST_SEARCH))
        canvas = _drawn(luma, expected, self._size, (margin, margin))
        seen = self._correlated(canvas, margin)
        if seen is None:
            return None
        (x, y), rough = seen
        warp = self._fitted(canvas, x, y)
        if warp is not None:
            at = expected @ translation(-margin, -margin) @ warp
            at /= at[2, 2]
            if self._plausible(at, expected):
                return Sighting(frame_from_patch=at, agreement=self._agreement(luma, at))
        shifted = expected @ translation(x - margin, y - margin)
        return Sighting(frame_from_patch=shifted, agreement=max(0.0, rough) * _UNFITTED)

    def learn(self, luma: Gray, sighting: Sighting) -> None:
        """Takes on a little of what it looks like now, where it is surely seen but has changed."""
        if not _ADAPTS[0] <= sighting.agreement < _ADAPTS[1]:
            return
        now = _drawn(luma, sighting.frame_from_patch, self._size, (0, 0)).astype(np.float32)
        spread = max(1e-3, float(now.std()))
        levelled = (now - now.mean()) * (self._patch.std() / spread) + self._patch.mean()
        self._patch += _ADAPTING * (levelled - self._patch)

    def _correlated(self, canvas: Gray, margin: int) -> tuple[tuple[float, float], float] | None:
        scores = cv2.matchTemplate(canvas.astype(np.float32), self._patch, cv2.TM_CCOEFF_NORMED)
        if not np.isfinite(scores).all():
            return None
        # Of two alike, the nearer one: a weak preference for where it is expected.
        rows, columns = np.indices(scores.shape)
        away = np.hypot(rows - margin, columns - margin) / max(1, margin)
        row, column = np.unravel_index(int(np.argmax(scores - 0.08 * away**2)), scores.shape)
        return (float(column), float(row)), float(scores[row, column])

    def _fitted(self, canvas: Gray, x: float, y: float) -> Matrix | None:
        kind = cv2.MOTION_HOMOGRAPHY if self.flat else cv2.MOTION_AFFINE
        start = np.eye(3, dtype=np.float32) if self.flat else np.eye(2, 3, dtype=np.float32)
        start[0, 2], start[1, 2] = x, y
        fitted = most_alike(self._patch, canvas, start, kind, _UNTIL, soft=3)
        if fitted is None:
            return None
        _, warp = fitted
        whole = np.vstack([warp, [0, 0, 1]]) if len(warp) == 2 else warp
        found: Matrix = whole.astype(np.float64)
        return found if np.isfinite(found).all() else None

    def _plausible(self, at: Matrix, expected: Matrix) -> bool:
        now, before = (_area(_outline(m, self._size)) for m in (at, expected))
        if now <= 4 or before <= 0 or abs(np.log(now / before)) > _MOST_CHANGE:
            return False
        return bool(cv2.isContourConvex(_outline(at, self._size).astype(np.float32)))

    def _agreement(self, luma: Gray, at: Matrix) -> float:
        """Correlation of the pattern with what is there now, 0 to 1; a point's middle counts most."""
        now = _drawn(luma, at, self._size, (0, 0)).astype(np.float32)
        weight = self._weight
        a, b = now - (weight * now).sum(), self._patch - (weight * self._patch).sum()
        energy = float(np.sqrt((weight * a * a).sum() * (weight * b * b).sum()))
        outline = _outline(at, self._size)
        height, width = luma.shape
        inside = ((outline > -0.5) & (outline < (width - 0.5, height - 0.5))).all(axis=1).mean()
        return float(np.clip((weight * a * b).sum() / energy if energy > 1e-6 else 0.0, 0, 1)) * float(inside)


def _point_patch(place: Points, reach_px: float) -> tuple[Matrix, tuple[int, int]]:
    side = 2 * round(reach_px) + 1
    x, y = place - (side - 1) / 2
    return translation(float(x), float(y)), (side, side)


def _surface_patch(corners: Points) -> tuple[Matrix, tuple[int, int]]:
    sides = np.hypot(*(np.roll(corners, -1, axis=0) - corners).T)
    wide, high = (sides[0] + sides[2]) / 2, (sides[1] + sides[3]) / 2
    scale = min(1.0, _LONGEST_SIDE / max(wide, high, 1.0))
    size = max(_FEWEST, round(wide * scale)), max(_FEWEST, round(high * scale))
    square = np.array([[0, 0], [size[0] - 1, 0], [size[0] - 1, size[1] - 1], [0, size[1] - 1]], np.float32)
    return cv2.getPerspectiveTransform(square, corners.astype(np.float32)).astype(np.float64), size


def _drawn(luma: Gray, at: Matrix, size: tuple[int, int], margin: tuple[int, int]) -> Gray:
    """What lies under a patch, with a margin around it, in the patch's own coordinates."""
    whole = size[0] + 2 * margin[0], size[1] + 2 * margin[1]
    place = at @ translation(-margin[0], -margin[1])
    scale = _scale_of(at, size)
    if scale > 1.5:  # softened first, so that fine detail does not turn into noise
        luma = cv2.GaussianBlur(luma, (0, 0), 0.4 * scale)
    flags = cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP
    return cv2.warpPerspective(luma, place, whole, flags=flags, borderMode=cv2.BORDER_REPLICATE)


def _scale_of(at: Matrix, size: tuple[int, int]) -> float:
    """Frame pixels per sample of the patch."""
    return float(np.sqrt(max(1e-9, _area(_outline(at, size)) / max(1, (size[0] - 1) * (size[1] - 1)))))


def _outline(at: Matrix, size: tuple[int, int]) -> Points:
    width, height = size
    return apply(at, np.array([[0, 0], [width - 1, 0], [width - 1, height - 1], [0, height - 1]], float))


def _area(outline: Points) -> float:
    x, y = outline.T
    return 0.5 * abs(float(x @ np.roll(y, -1) - y @ np.roll(x, -1)))
