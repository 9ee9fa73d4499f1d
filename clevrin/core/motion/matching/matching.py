"""Corners of a key frame found in another frame: pyramidal optical flow, there and back, and the motion agreed on."""

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from clevrin.core.motion.geometry.models import Matrix, Points, apply
from clevrin.core.motion.geometry.smear import LEAST_SMEAR_PX, lacking_px, smeared
from clevrin.core.motion.matching.consensus import background
from clevrin.core.motion.matching.fitting import Fit, fit_motion
from clevrin.core.motion.matching.guesses import overlapping, warp_about_centre
from clevrin.core.motion.matching.working_picture import Gray, Prepared, cells_of, in_areas

Places = NDArray[np.float32]

FEWEST = 16
_CONSENSUS_PX = 0.5
_WINDOWS = (15, 15), (21, 21), (31, 31)
"""For slow pictures (a small one straddles fewer edges of subjects), faster or flat ones, and blurred ones."""
_UNTIL = (cv2.TERM_CRITERIA_COUNT | cv2.TERM_CRITERIA_EPS, 9, 0.01)
_UNTIL_FAST = (cv2.TERM_CRITERIA_COUNT | cv2.TERM_CRITERIA_EPS, 14, 0.01)
_UNTIL_BACK = (cv2.TERM_CRITERIA_COUNT | cv2.TERM_CRITERIA_EPS, 5, 0.05)

_KEY_REACH = 0.06
"""Share of the width by which the picture may move before a new key frame is taken."""
_KEY_TURN_DEG, _KEY_GROWTH = 2.5, 0.03
_KEY_FRAMES = 90
_KEY_ALIVE = 0.55
_BLURRING_PX = 4.0
"""Speed in working pixels per frame from which on a frame's blur is felt in what is measured from it."""
_WARPED_TURN = 0.06
"""Change of a patch's shape (radians, or share of its size) from which on it is warped before it is looked for."""
_STILL = 0.8
"""Share of the corners that agreed before which has to be found, and to agree again, for no search to be needed."""
_OPEN_SHARE = 0.5
"""Of a frame's time the share in which the shutter is taken to be open while its angle is not known yet."""


class Key:
    """A key frame: its corners, where they were seen last, and the motion from it to the frame looked at last."""

    def __init__(
        self,
        number: int,
        picture: Prepared,
        belief: Points,
        last: Matrix | None = None,
        only: NDArray[np.bool_] | None = None,
    ) -> None:
        """`only` (n,): which of the picture's corners count; None: all."""
        self.number = number
        self.velocity = np.zeros(2) if last is None else velocity(last)
        self.picture = picture
        self.features = picture.features if only is None else picture.features[only]
        self.cells = cells_of(self.features, picture.gray.shape)
        self.belief = belief.reshape(-1)[self.cells]
        self.places = self.features.copy()
        self.seen = np.ones(len(self.features), bool)
        self.follows = np.zeros(len(self.features), bool)
        self.motion = np.eye(3)
        self.findable = 0

    def far(self, motion: Matrix, number: int) -> bool:
        """Whether a motion from here leads so far that a new key frame is due."""
        if number - self.number > _KEY_FRAMES or self.seen.sum() < max(FEWEST, _KEY_ALIVE * self.findable):
            return True
        width = self.picture.gray.shape[1]
        turn, growth = _shape_change(motion)
        return speed_of(motion) > _KEY_REACH * width or turn > np.radians(_KEY_TURN_DEG) or growth > _KEY_GROWTH

    def blurred_otherwise(self, speed: float) -> bool:
        """Whether a frame filmed at this speed is so much sharper or smoother that a nearer key frame is due."""
        own = float(np.hypot(*self.velocity))
        return (own > _BLURRING_PX and speed < 0.7 * own) or (speed > 2 * _BLURRING_PX and own < 0.6 * speed)


@dataclass(frozen=True, kw_only=True, eq=False)
class Match:
    """Corners of a key frame found in another frame, and the motion that they agree on."""

    places: Places
    found: NDArray[np.bool_]
    follows: NDArray[np.bool_]
    motion: Matrix
    confidence: float


def matched(
    key: Key,
    after: Prepared,
    guess: Matrix,
    *,
    step: Matrix | None = None,
    last: Matrix | None = None,
) -> Match | None:
    """Follows the corners of a key frame to another frame by pyramidal Lucas-Kanade (Bouguet 2000), and back.

    `guess` is the motion from the key frame; with `step`, the motion from the frame before, corners are looked for
    where they were seen last and would go on to.
    """
    picture, features, centre = key.picture, key.features, key.picture.centre
    if len(features) < FEWEST:
        return None
    expected = apply(guess, features - centre) + centre
    source, origins = _source(picture, features, expected, guess)
    if step is not None:
        expected = np.where(key.seen[:, None], apply(step, key.places - centre) + centre, expected)
    # Rounded to 1/64 px: the last bit of a guess depends on where its numbers lie in memory, and work that was
    # stopped and went on must give the same figures.
    start = (np.round(expected * 64) / 64).astype(np.float32)
    target = _levelled(after, picture, guess)
    if last is not None:
        before, here = velocity(last), velocity(guess)
        source, target = _equally_blurred(source, target, (before + here) / 2, here + (here - before) / 2)
    elif step is not None:
        source, target = _equally_blurred(source, target, key.velocity, velocity(step))
    speed = speed_of(guess if step is None else step)
    window = _WINDOWS[0] if speed < 3 and not picture.flat else _WINDOWS[1] if speed < 12 else _WINDOWS[2]
    until = _UNTIL if speed < 8 else _UNTIL_FAST
    levels = 3 if step is None else 1 if speed < 8 else 2
    flags = cv2.OPTFLOW_USE_INITIAL_FLOW
    there, found, _ = cv2.calcOpticalFlowPyrLK(
        source, target, origins, start.copy(), winSize=window, maxLevel=levels, criteria=until, flags=flags
    )
    height, width = picture.gray.shape
    good = (found[:, 0] == 1) & (there >= 0).all(axis=1) & (there[:, 0] < width) & (there[:, 1] < height)
    if after.leave_out:
        good &= ~in_areas(there, after.leave_out, picture.gray.shape)
    if good.sum() < FEWEST:
        return None
    reach = _CONSENSUS_PX + 0.02 * speed
    begun, ended = (features - centre).astype(np.float64), (there - centre).astype(np.float64)
    fit = _as_before(key, begun, ended, good, reach) if step is not None else None
    in_doubt = np.flatnonzero(good if fit is None else good & ~fit.inliers)
    if len(in_doubt):
        # The way back starts where it should end, so one level suffices to see whether it leads elsewhere.
        from_there, to_here = there[in_doubt], origins[in_doubt]
        back, again, _ = cv2.calcOpticalFlowPyrLK(
            target, source, from_there, to_here.copy(), winSize=window, maxLevel=0, criteria=_UNTIL_BACK, flags=flags
        )
        good[in_doubt] = (again[:, 0] == 1) & (np.hypot(*(back - to_here).T) < 0.5 + 0.02 * speed)
    if good.sum() < FEWEST:
        return None
    if fit is None:
        agreeing = background(begun[good], ended[good], key.cells[good], key.belief[good], reach)
        if agreeing is not None:
            fit = fit_motion(begun, ended, picture.radius, reach, _among(good, agreeing))
    if fit is None:
        return None
    moved = apply(fit.motion, np.array([[-centre[0], -centre[1]], [centre[0], centre[1]]]))
    if not np.isfinite(moved).all() or np.abs(moved).max() > 4 * picture.radius:
        return None
    follows = good & fit.inliers
    expected_inside = (expected > -0.5).all(axis=1) & (expected < (width - 0.5, height - 0.5)).all(axis=1)
    return Match(
        places=there,
        found=good,
        follows=follows,
        motion=fit.motion,
        confidence=round(seen_share(features[follows], picture.gray.shape, int((good | expected_inside).sum())), 4),
    )


def _as_before(key: Key, begun: Points, ended: Points, good: NDArray[np.bool_], reach: float) -> Fit | None:
    """The motion by the corners that agreed in the frame before, if they still do: most frames need no search.

    They do not where they are strewn about it: behind a cut all of them go somewhere.
    """
    still = key.follows & good
    if still.sum() < max(3 * FEWEST, _STILL * key.follows.sum()):
        return None
    fit = fit_motion(begun, ended, key.picture.radius, reach, still)
    return fit if fit is not None and fit.noise_px < reach and fit.inliers[still].mean() > _STILL else None


def _among(good: NDArray[np.bool_], agreeing: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """(n,): those of all points that agree, by which of the good ones do."""
    every = np.zeros(len(good), bool)
    every[np.flatnonzero(good)[agreeing]] = True
    return every


def seen_share(followers: Points | Places, shape: tuple[int, ...], all_points: int) -> float:
    """0 to 1, from how many corners follow, over how much of the picture, and which share of those that should."""
    count = len(followers)
    quarters = np.floor(followers / (shape[1], shape[0]) * 4).astype(int)
    spread = len(np.unique(quarters @ [1, 4])) / 16
    share = count / max(1, all_points)
    return min(1.0, count / 40) * min(1.0, 1.6 * spread) * min(1.0, 0.3 + 1.4 * share)


def _source(picture: Prepared, features: Places, expected: Points, guess: Matrix) -> tuple[Gray, Places]:
    """The picture in which corners are followed from, and where they are in it: turned as the guess says, if much."""
    if max(_shape_change(guess)) < _WARPED_TURN:
        return picture.gray, features
    warped = warp_about_centre(picture.gray, guess, cv2.BORDER_REPLICATE)
    return warped, (np.round(expected * 64) / 64).astype(np.float32)


def _equally_blurred(source: Gray, target: Gray, *velocities: Points) -> tuple[Gray, Gray]:
    """Two frames with one length of blur, as far as is known from how fast each moved: unlike blurs shift corners."""
    speeds = [float(np.hypot(*v)) for v in velocities]
    shorter, longer = min(speeds), max(speeds)
    lacking = _OPEN_SHARE * lacking_px(shorter, longer)
    one_way = float(velocities[0] @ velocities[1]) > 0.8 * shorter * longer
    if lacking < LEAST_SMEAR_PX or longer > 0.4 * source.shape[1] or not one_way:
        return source, target
    way = velocities[speeds.index(longer)] * lacking / longer
    if speeds[1] > speeds[0]:
        return smeared(source, way), target
    return source, smeared(target, way)


def _levelled(after: Prepared, like: Prepared, guess: Matrix) -> Gray:
    """The picture at another one's exposure where that was another one.

    What passes by changes a picture's mean and contrast as well: where most of what is seen in both pictures is as it
    was, nothing is levelled.
    """
    (mean, spread), (wanted_mean, wanted_spread) = after.level, like.level
    gain = wanted_spread / max(spread, 1.0)
    if abs(mean - wanted_mean) < 6 and abs(gain - 1) < 0.15:
        return after.gray
    seen, here = overlapping(like, after, guess)
    as_it_is = float(np.median(np.abs(seen - here)))
    levelled = float(np.median(np.abs(seen - (wanted_mean + gain * (here - mean)))))
    if as_it_is <= levelled:
        return after.gray
    return cv2.convertScaleAbs(after.gray, alpha=gain, beta=wanted_mean - gain * mean)


def velocity(motion: Matrix) -> Points:
    return motion[:2, 2] / motion[2, 2]


def speed_of(motion: Matrix) -> float:
    return float(np.hypot(*velocity(motion)))


def _shape_change(motion: Matrix) -> tuple[float, float]:
    """By how much a motion turns what is at the centre, in radians, and by which share it grows or shrinks."""
    turn = abs(float(np.arctan2(motion[1, 0] - motion[0, 1], motion[0, 0] + motion[1, 1])))
    return turn, abs(float(np.sqrt(abs(np.linalg.det(motion[:2, :2])))) - 1)
