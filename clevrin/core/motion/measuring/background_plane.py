"""Which plane is followed through a take, and how it moves: decided from the tracks of all frames together.

A world with depth has no one motion: every plane in it moves by its own homography, and over a few frames they hardly
differ. So it is not decided frame by frame. All frames that were measured from one key frame (a *stretch*) are
looked at together: what belongs to a plane agrees with it in all of them, and parallax grows with the way the camera
went, so that it shows in the later ones. From stretch to stretch the plane is handed on by the tracks themselves, from
the stretch in which it is seen best, forward and backward: what stood still once is believed to stand still again.

Of several planes that one is followed which covers the most of the picture (of the cells in which there is anything to
follow), or the one that was pointed at.
"""

from dataclasses import dataclass, field

import cv2
import numpy as np
from numpy.typing import NDArray

from clevrin.core.motion.geometry.lens import weakly_allowed
from clevrin.core.motion.geometry.models import Matrix, Points, apply, rescaled
from clevrin.core.motion.matching.fitting import Fits, fit_homographies
from clevrin.core.motion.matching.working_picture import cells_of, means_by_cell

FOLLOWED = 1
"""The group of what is followed; 0 follows nothing, others are planes that move otherwise."""
_MOST_GROUPS = 3
_FEWEST = 12
"""Corners that make a plane."""
_FEW_CELLS = 5
_SURELY, _HARDLY = 2.6, 4.5
"""Deviations up to which a track surely belongs to a plane, and from which on it does not."""
_CLIPPED = 8.0
_CONSENSUS_PX, _CONSENSUS_SHARE = 0.3, 0.012
_NEAR_PX, _AROUND_PX = 3.0, 45.0
_TELLING_PX = 4.0
"""Working pixels of movement from which on a stretch tells planes apart."""
_BELIEVED = 0.6
_LOST = 0.15
"""Share of the cells under which what was followed counts as gone, if another plane covers much more."""
_ROUGHLY_PX = 0.45
_USUAL_FRAMES = 4
_LEAP_PX, _LEAP_TIMES = 12.0, 2.0
_POINTED, _ABOUT, _FEWEST_POINTED = 6, 24, 7
_ANCHORS = 40


@dataclass(kw_only=True, eq=False)
class Stretch:
    """The frames that were measured from one key frame; places about the picture's centre in working pixels.

    `corners` (n, 2) in the key frame, `places` (frames, n, 2) with NaN where one was not found, `start` (frames, 3, 3)
    homographies from the key frame to begin with. What is decided: `member` (n,) 0 to 1, `groups` (n,), by how much
    each `counts` (n,), `fits`; `changed`: another plane is followed than in the stretch before it; `foreign`: it moves
    as no camera does that moved as in that one.
    """

    key: int
    frames: NDArray[np.int64]
    corners: Points
    places: Points
    start: Matrix
    shape: tuple[int, int]
    member: Points = field(init=False)
    groups: NDArray[np.int8] = field(init=False)
    counts: Points = field(init=False)
    fits: Fits | None = None
    changed: bool = False
    foreign: bool = False

    def __post_init__(self) -> None:
        n = len(self.corners)
        self.member = np.full(n, 0.5)
        self.groups = np.zeros(n, np.int8)
        self.counts = np.zeros(n)
        height, width = self.shape
        self.centre = np.array([(width - 1) / 2, (height - 1) / 2])
        self.radius = float(np.hypot(*self.centre))
        self.cells = cells_of(self.corners + self.centre, self.shape)
        self.known = np.isfinite(self.places[..., 0])

    @property
    def shift(self) -> Points:
        """(frames,): how far the picture moved from the key frame by the first idea, in radii."""
        return np.hypot(*self.start[:, :2, 2].T) / self.radius

    def area(self, counts: Points) -> float:
        """How many cells' worth of the picture some corners cover: of each cell the share that counts."""
        return float(means_by_cell(self.cells, counts)[1].sum())

    @property
    def telling(self) -> int:
        """The row of the frame that tells planes apart best: far from the key frame, with most corners still seen."""
        found = self.known.sum(axis=1)
        return int(np.flatnonzero(found >= 0.7 * found.max())[-1])

    @property
    def moved_px(self) -> float:
        row = self.telling
        there = self.known[row]
        return float(np.median(np.hypot(*(self.places[row] - self.corners)[there].T))) if there.any() else 0.0

    def at(self, frame: int) -> Points | None:
        """Where the corners are in a frame of this stretch, or in its key frame; None if it is neither."""
        if frame == self.key:
            return self.corners
        rows = np.flatnonzero(self.frames == frame)
        return self.places[rows[0]] if len(rows) else None


def planes(
    stretch: Stretch, most: int, among: NDArray[np.bool_] | None = None, fewest: int = _FEWEST
) -> list[NDArray[np.bool_]]:
    """The planes of a stretch as corners (n,) that agree, found one after the other among some or all of its corners.

    Each by graph-cut RANSAC (Barath & Matas 2018, doi:10.1109/CVPR.2018.00704, OpenCV's implementation) on those that
    belong to none before it.
    """
    row = stretch.telling
    left = stretch.known[row].copy() if among is None else among & stretch.known[row]
    after = stretch.places[row]
    reach = _CONSENSUS_PX + _CONSENSUS_SHARE * stretch.moved_px / max(1, len(stretch.frames))
    found: list[NDArray[np.bool_]] = []
    while len(found) < most and left.sum() >= fewest:
        numbers = np.flatnonzero(left)
        motion, mask = cv2.findHomography(
            stretch.corners[numbers], after[numbers], cv2.USAC_ACCURATE, reach, maxIters=2000, confidence=0.999
        )
        if motion is None or mask is None or mask.sum() < fewest:
            break
        agreeing = np.zeros(len(left), bool)
        agreeing[numbers[mask[:, 0].astype(bool)]] = True
        found.append(agreeing)
        off = np.hypot(*(apply(motion, stretch.corners) - after).T)
        left &= ~agreeing & ~(off < 1.2 * reach)
    return found


def follow(stretches: list[Stretch], pointed: tuple[int, Points] | None = None) -> None:
    """Decides for all stretches of a take which plane is followed, and fits its motion in each.

    `pointed`: a frame, and a place (2,) in it about the centre in working pixels, whose plane is to be followed.
    """
    for chain in _chains(stretches):
        start, first = _anchor(chain, pointed)
        fewest = _FEWEST if pointed is None else _FEWEST_POINTED
        _decide(chain[start], np.full(len(chain[start].corners), 0.5), first, fewest=fewest)
        for way in (1, -1):
            last = chain[start]
            for stretch in chain[start + 1 :] if way > 0 else chain[:start][::-1]:
                _decide(stretch, _handed_on(last, stretch, way), fewest=fewest)
                stretch.foreign = _leaps(last, stretch, way) if stretch.changed else last.foreign
                last = stretch


def _chains(stretches: list[Stretch]) -> list[list[Stretch]]:
    """Stretches that hand their tracks on to each other; between chains there is a cut or a gap."""
    chains: list[list[Stretch]] = []
    for stretch in stretches:
        if chains and chains[-1][-1].at(stretch.key) is not None:
            chains[-1].append(stretch)
        else:
            chains.append([stretch])
    return chains


def _anchor(chain: list[Stretch], pointed: tuple[int, Points] | None) -> tuple[int, NDArray[np.bool_] | None]:
    """The stretch to begin with, and which of its corners belong to what is followed."""
    if pointed is not None:
        frame, place = pointed
        for number, stretch in enumerate(chain):
            seen = stretch.at(frame)
            if seen is None:
                continue
            near = np.argsort(np.nan_to_num(np.hypot(*(seen - place).T), nan=np.inf))
            about = np.zeros(len(seen), bool)
            about[near[:_ABOUT]] = True
            found = planes(stretch, _MOST_GROUPS, about, _FEWEST_POINTED)
            if found:
                return number, max(found, key=lambda each: int(each[near[:_POINTED]].sum()))
    best: tuple[int, NDArray[np.bool_] | None] = (0, None)
    best_score = -1.0
    for number in np.unique(np.linspace(0, len(chain) - 1, min(len(chain), _ANCHORS)).round().astype(int)):
        stretch = chain[number]
        telling = min(1.0, 0.1 + stretch.moved_px / _TELLING_PX)
        for agreeing in planes(stretch, _MOST_GROUPS):
            score = stretch.area(agreeing.astype(float)) * np.sqrt(len(stretch.frames)) * telling
            if score > best_score:
                best, best_score = (int(number), agreeing), score
    return best


def _handed_on(last: Stretch, stretch: Stretch, way: int) -> Points:
    """(n,): how likely each corner of a stretch belongs to what is followed, by the tracks of its neighbour."""
    before = last.at(stretch.key) if way > 0 else last.corners
    here = stretch.corners if way > 0 else stretch.at(last.key)
    if before is None or here is None:
        return np.full(len(stretch.corners), 0.5)
    return believed(here, before, last.member)


def believed(places: Points, tracked: Points, member: Points) -> Points:
    """(n,): how likely each of some places belongs to what is followed, by tracks (m, 2) of which that is known (m,).

    What lies on a track is what that is; between tracks it is guessed from the nearest three, the less surely. NaN
    places and tracks say nothing.
    """
    known: NDArray[np.bool_] = np.isfinite(tracked[:, 0])
    placed: NDArray[np.bool_] = np.isfinite(places[:, 0])
    belief = np.full(len(places), 0.5)
    if known.sum() < 3 or not placed.any():
        return belief
    member, near = member[known], tracked[known]
    apart = np.hypot(places[placed, None, 0] - near[None, :, 0], places[placed, None, 1] - near[None, :, 1])
    nearest = np.argpartition(apart, 2, axis=1)[:, :3]
    distance = np.take_along_axis(apart, nearest, axis=1)
    closeness = 1 / (1 + distance)
    around = (member[nearest] * closeness).sum(axis=1) / closeness.sum(axis=1)
    one = member[np.take_along_axis(nearest, distance.argmin(axis=1)[:, None], axis=1)[:, 0]]
    closest = distance.min(axis=1)
    guess = np.where(closest < _AROUND_PX, 0.5 + 0.6 * (around - 0.5), 0.5)
    belief[placed] = np.where(closest < _NEAR_PX, one, guess)
    return belief


def _decide(stretch: Stretch, belief: Points, first: NDArray[np.bool_] | None = None, *, fewest: int = _FEWEST) -> None:
    """Which corners of a stretch belong to what is followed, and its motion; `first`: what to begin with.

    What has fewer than `fewest` corners left is gone; of something that was pointed at, a few are enough.
    """
    weak = np.zeros((len(stretch.frames), 4)), weakly_allowed(stretch.shift, stretch.radius)
    if first is None:
        surely = belief > _BELIEVED
        first = surely if _enough(stretch, surely, fewest) else _widest(stretch, belief)
    counts = first.astype(float)
    for _ in range(3):
        fits = _fitted(stretch, counts, weak)
        belongs = _belongs(stretch, fits)
        counts = belongs * np.clip(0.15 + 1.2 * belief, 0.15, 1.0)
    share = stretch.area(belongs) / max(1.0, stretch.area(np.ones(len(belongs))))
    if share < _LOST and (fewest == _FEWEST or (belongs > 0.3).sum() < fewest):
        other = _widest(stretch, np.full(len(belief), 0.5))
        if stretch.area(other.astype(float)) > 2 * stretch.area(belongs):
            stretch.changed = True
            fits = _fitted(stretch, other.astype(float), weak)
            belongs = counts = _belongs(stretch, fits)
            belief = np.full(len(belief), 0.5)
    stretch.counts = counts * _precision(stretch, fits)
    stretch.fits = _fitted(stretch, stretch.counts, weak)
    _learn(stretch, belief, belongs)


def _leaps(last: Stretch, stretch: Stretch, way: int) -> bool:
    """Whether what is followed moves so much otherwise than in the neighbour that the camera cannot have."""
    steps = []
    for each, end in ((last, -1 if way > 0 else 0), (stretch, 0 if way > 0 else -1)):
        assert each.fits is not None
        courses = np.concatenate([np.zeros((1, 2)), each.fits.scaled[:, :2, 2] * each.radius])
        steps.append(np.diff(courses, axis=0)[end])
    leap = float(np.hypot(*(steps[1] - steps[0])))
    return leap > max(_LEAP_PX, _LEAP_TIMES * float(np.hypot(*steps[0])))


def _enough(stretch: Stretch, some: NDArray[np.bool_], fewest: int) -> bool:
    found = some & stretch.known.any(axis=0)
    return int(found.sum()) >= fewest and stretch.area(found.astype(float)) >= _FEW_CELLS * fewest / _FEWEST


def _widest(stretch: Stretch, belief: Points) -> NDArray[np.bool_]:
    """The plane that covers the most of what may be followed."""
    found = planes(stretch, _MOST_GROUPS)
    if not found:
        return np.asarray(stretch.known.any(axis=0))
    return max(found, key=lambda each: stretch.area(each * (0.2 + belief)))


def _fitted(stretch: Stretch, counts: Points, expected: tuple[Points, Points]) -> Fits:
    begin = stretch.start if stretch.fits is None else rescaled(stretch.fits.scaled, 1 / stretch.radius)
    return fit_homographies(
        stretch.corners, stretch.places, counts, stretch.radius, rescaled(begin, stretch.radius), *expected
    )


def fitted_as_expected(stretch: Stretch, expected: Points, allowed: Points) -> None:
    """Fits a stretch once more, with what the take's lens tells of each frame."""
    stretch.fits = _fitted(stretch, stretch.counts, (expected, allowed))


def _misses(stretch: Stretch, fits: Fits) -> tuple[Points, NDArray[np.int64]]:
    """By how much each corner (n,) is missed in units of each frame's noise, squared and summed, and in how many."""
    off = np.minimum(fits.residuals / fits.noise_px[:, None], _CLIPPED)
    return np.nansum(off**2, axis=0), stretch.known.sum(axis=0)


def _belongs(stretch: Stretch, fits: Fits) -> Points:
    """(n,): how surely each corner moves with a fit in all frames in which it was found, 0 to 1."""
    squares, count = _misses(stretch, fits)
    mean = np.sqrt(squares / np.maximum(1, count))
    belongs: Points = np.clip((_HARDLY - mean) / (_HARDLY - _SURELY), 0, 1) * (count > 0)
    return belongs


def _precision(stretch: Stretch, fits: Fits) -> Points:
    """(n,): how much each corner tells, by how precisely it was found in all frames: the inverse of its variance.

    As a share of what is usual; what is known of few frames is not believed to be far from that.
    """
    squares, count = _misses(stretch, fits)
    variance = (squares + 2 * _USUAL_FRAMES) / (count + _USUAL_FRAMES) / 2
    return np.asarray(np.clip(1 / variance, 0.1, 2.0))


def _learn(stretch: Stretch, belief: Points, belongs: Points) -> None:
    """What is believed of each corner from here on, and to which group it belongs."""
    assert stretch.fits is not None
    off = np.nan_to_num(np.nanmax(np.where(stretch.known, stretch.fits.residuals, 0.0), axis=0))
    rate = np.clip(np.maximum(stretch.moved_px, off) / (2 * _TELLING_PX), 0.05, 0.6)
    rate = np.where(stretch.known.any(axis=0), rate, 0.0)
    unknown = np.abs(belief - 0.5) < 0.05
    stretch.member = belief + np.where(unknown, np.maximum(rate, 0.3), rate) * (belongs - belief)
    stretch.groups[(belongs > 0.3) & (stretch.member > 0.3)] = FOLLOWED


def tell_groups(stretch: Stretch) -> None:
    """Finds the other planes of a stretch, so that it can be shown what moves with what.

    Corners that are only found badly belong to what is followed all the same.
    """
    assert stretch.fits is not None
    count = stretch.known.sum(axis=0)
    off = np.sqrt(np.nansum(stretch.fits.residuals**2, axis=0) / np.maximum(1, count))
    stretch.groups[(off < _ROUGHLY_PX) & (count > 0)] = FOLLOWED
    rest = stretch.groups != FOLLOWED
    stretch.groups[rest] = 0
    cells = stretch.area(np.ones(len(rest)))
    for number, agreeing in enumerate(planes(stretch, _MOST_GROUPS - 1, rest), start=FOLLOWED + 1):
        if stretch.area(agreeing.astype(float)) > 0.04 * cells:
            stretch.groups[agreeing] = number
