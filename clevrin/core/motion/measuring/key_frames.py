"""From frame to frame: corners of a key frame followed by optical flow, and the background's motion that they agree on.

Motion is measured from a key frame that stays as long as the picture has not moved far from it, not from each frame
to the next: errors do not add up, a slow subject parts from the background, and corners are seldom looked for.
"""

from collections.abc import Mapping
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from clevrin.core.errors import MediaError
from clevrin.core.motion.geometry.direct import most_alike
from clevrin.core.motion.geometry.models import Matrix
from clevrin.core.motion.matching.consensus import NEUTRAL
from clevrin.core.motion.matching.guesses import best_first, mismatch
from clevrin.core.motion.matching.matching import Key, Match, matched, speed_of, velocity
from clevrin.core.motion.matching.working_picture import CELLS, Prepared, cells_of, means_by_cell
from clevrin.core.motion.trace.trace import REPEATED

_SURE = 0.5
"""Confidence from which on a motion is taken without looking for a better one."""
_LEARNING = 0.15
_UNRELATED = 0.55
"""Mismatch, in standard deviations of the picture, from which on two pictures are not of the same thing."""
_LONGEST_GAP = 12
_SAME, _SAME_ANYWHERE = 0.1, 6
"""Mean and largest difference of two working pictures, in code values, under which they are one picture: of a plain
floor hardly anything changes while a coin on it moves."""
_MOVING_PX = 1.0
_UNTIL_ALIKE = (cv2.TERM_CRITERIA_COUNT | cv2.TERM_CRITERIA_EPS, 50, 1e-8)
"""Of an agreement that is near 1 from the start on where most of a picture is plain."""
MOST_WITHOUT_CORNERS = 0.4
"""Of a motion that was not found from corners it is not known whether it is the camera's."""
_UNFOUND_PX, _OFF_SHARE = 8.0, 0.03
"""How far off a shift may be that was not found, and, as a share of itself, one of a smeared sky, whose shades stay."""
_EDGE_ALONE = 1e-6
"""Under this share of the one direction's steepness, squared, a picture has none in the other."""
_ALIKE = 3.0
"""How much larger an error is than for pixels that err by themselves: what a film smears it smears as a whole."""


@dataclass(frozen=True, kw_only=True, eq=False)
class Tracks:
    """Where the corners (n, 2) of a key frame are in the frame looked at, working pixels from the picture's corner.

    `found` and `follows` (n,): which were found, and which of these agreed with the motion. `from_key` (3, 3): that
    motion, from the key frame, about the picture's centre.
    """

    key: int
    corners: NDArray[np.float32]
    places: NDArray[np.float32]
    found: NDArray[np.bool_]
    follows: NDArray[np.bool_]
    from_key: Matrix


@dataclass(frozen=True, kw_only=True, eq=False)
class Step:
    """A first idea of the motion (3, 3) from one frame to the next, in working pixels about the picture's centre.

    `confidence` from 0 (nothing is known) to 1. `tracks` are what it was found from, None where it was not found from
    corners. `bridges`: how many frames before this one are unknown and have their part in it.
    """

    motion: Matrix
    confidence: float
    tracks: Tracks | None = None
    bridges: int = 0


class StepTracker:
    """Follows the motion through a row of frames.

    Its whole state is two pictures, of the key frame and of the frame before, and what `state` gives: with these it
    goes on as if it had never stopped.
    """

    def __init__(self) -> None:
        self._number = -1
        self._before: Prepared | None = None
        self._before_number = -1
        self._repeated = False
        self._key: Key | None = None
        self._last = np.eye(3)
        self._belief = np.full((CELLS[1], CELLS[0]), NEUTRAL)
        self._gap = 0

    @property
    def state(self) -> dict[str, NDArray]:
        """What going on needs beside the pictures of the frames `key_number` and `before_number` (-1: none)."""
        key = self._key
        plain = {
            "before_number": np.array(self._before_number),
            "last": self._last,
            "belief": self._belief,
            "gap": np.array(self._gap),
            "repeated": np.array(self._repeated),
            "key_number": np.array(-1),
        }
        if key is None:
            return plain
        return plain | {
            "key_number": np.array(key.number),
            "key_places": key.places,
            "key_seen": key.seen,
            "key_follows": key.follows,
            "key_belief": key.belief,
            "key_motion": key.motion,
            "key_velocity": key.velocity,
            "key_findable": np.array(key.findable),
        }

    def resume(self, state: Mapping[str, NDArray], pictures: Mapping[int, Prepared | None], number: int) -> None:
        """Takes up a stored `state` behind the frame `number`, with the pictures of the frames that it names.

        Raises `MediaError` where these are not what they were.
        """
        self._last, self._belief, self._gap = state["last"].copy(), state["belief"].copy(), int(state["gap"])
        self._repeated = bool(state["repeated"])
        self._before_number, self._number = int(state["before_number"]), number
        self._before = pictures.get(self._before_number)
        key_number = int(state["key_number"])
        if key_number < 0:
            return
        key = pictures[key_number]
        self._key = Key(key_number, key, self._belief) if key is not None else None
        if self._key is None or state["key_places"].shape != self._key.places.shape:
            raise MediaError("The film changed while its measuring was stopped; measure it afresh.")
        self._key.places = state["key_places"].copy()
        self._key.seen, self._key.follows = state["key_seen"].copy(), state["key_follows"].copy()
        self._key.belief = state["key_belief"].copy()
        self._key.motion = state["key_motion"].copy()
        self._key.velocity, self._key.findable = state["key_velocity"].copy(), int(state["key_findable"])

    def follow(self, after: Prepared | None) -> Step:
        """The motion from the frame given last to this one; no motion for the first. None: it cannot be read."""
        self._number += 1
        if after is None:
            self._gap += self._before is not None
            return _still(0.0)
        before, self._before = self._before, after
        if before is None:
            self._before_number = self._number
            self._key = Key(self._number, after, self._belief)
            return _still(1.0)
        step = self._repeats(before, after)
        if step is None:
            step = self._after_gap(before, after) if self._gap else self._measured(before, after)
            if step is not None and not self._repeated:
                self._last = step.motion if not step.bridges else np.eye(3)
            self._repeated = False
        self._before_number = self._number
        if step is None:
            self._gap += 1
            return _still(0.0)
        self._gap = 0
        return step

    def _repeats(self, before: Prepared, after: Prepared) -> Step | None:
        """No motion, where a frame is the one before once more although the camera moves, as in conformed films."""
        if self._gap or speed_of(self._last) < _MOVING_PX:
            return None
        # By NumPy: OpenCV would let go of Python for it, and wait for its turn longer than it works.
        changed = np.abs(before.sharp[::8].astype(np.int16) - after.sharp[::8].astype(np.int16))
        if float(changed.mean()) > _SAME or changed.max() > _SAME_ANYWHERE:
            return None
        if np.abs(before.sharp.astype(np.int16) - after.sharp.astype(np.int16)).max() > _SAME_ANYWHERE:
            return None
        self._repeated = True
        return _still(REPEATED)

    def _measured(self, before: Prepared, after: Prepared) -> Step | None:
        key = self._key
        assert key is not None
        step = None
        predicted = self._last @ key.motion
        if not key.far(predicted, self._number) and not key.blurred_otherwise(speed_of(self._last)):
            step = self._taken(key, matched(key, after, predicted, step=self._last))
        if step is None or step.confidence < _SURE:
            again = self._from_neighbour(before, after)
            if again is not None and (step is None or again.confidence > step.confidence):
                step = again
        if step is None:
            step = self._registered(before, after)
        if step is not None and step.confidence < _SURE:
            contrast = min(before.level[1], after.level[1])
            if contrast < 2 or mismatch(before, after, step.motion) > max(4.0, _UNRELATED * contrast):
                return None
        return step

    def _after_gap(self, before: Prepared, after: Prepared) -> Step | None:
        """The motion over frames in which nothing could be seen, from the key frame before them; or goes on behind."""
        key = self._key
        assert key is not None
        if self._gap <= _LONGEST_GAP:
            start = key.motion
            for guess in best_first(key.picture, after, [start])[:2]:
                match = matched(key, after, guess)
                if match is not None and match.confidence > _SURE:
                    return self._taken(key, match, bridges=self._gap)
        step = self._from_neighbour(before, after)
        if step is not None and step.confidence > _SURE:
            return step  # another picture begins here: a cut
        self._key = key
        return None

    def _from_neighbour(self, before: Prepared, after: Prepared) -> Step | None:
        """The motion from the frame before, which becomes the key frame."""
        key = Key(self._before_number, before, self._belief, self._last)
        best: Match | None = None
        for guess in best_first(before, after, [self._last])[:2]:
            match = matched(key, after, guess, last=self._last)
            if match is not None and (best is None or match.confidence > best.confidence):
                best = match
            if best is not None and best.confidence > _SURE:
                break
        self._key = key
        return self._taken(key, best)

    def _taken(self, key: Key, match: Match | None, bridges: int = 0) -> Step | None:
        """Notes what was found as the state of the key frame, and gives the motion since the frame before."""
        if match is None:
            return None
        motion = match.motion @ np.linalg.inv(key.motion)
        motion /= motion[2, 2]
        key.places, key.seen, key.follows, key.motion = match.places, match.found, match.follows, match.motion
        if self._number == key.number + 1:
            # The first frame of a film has no step into it.
            key.velocity = (key.velocity + velocity(motion)) / (2 if key.number else 1)
        key.findable = max(key.findable, int(match.found.sum()))
        learned = match.follows[match.found].astype(float)
        key.belief[match.found] += _LEARNING * (learned - key.belief[match.found])
        cells = cells_of(match.places[match.found], key.picture.gray.shape)
        there, mean = means_by_cell(cells, learned)
        self._belief.reshape(-1)[there] += _LEARNING * (mean - self._belief.reshape(-1)[there])
        tracks = Tracks(
            key=key.number,
            corners=key.features,
            places=match.places,
            found=match.found,
            follows=match.follows,
            from_key=match.motion,
        )
        return Step(motion=motion, confidence=match.confidence, tracks=tracks, bridges=bridges)

    def _registered(self, before: Prepared, after: Prepared) -> Step | None:
        """Direct registration of the pictures (Evangelidis & Psarakis 2008) where too few corners are found."""
        if min(before.level[1], after.level[1]) < 2.0:
            return None  # nothing to see
        guess = best_first(before, after, [self._last])[0]
        scale = 0.5
        b, a = (cv2.resize(p.gray, None, fx=scale, fy=scale, interpolation=cv2.INTER_AREA) for p in (before, after))
        warp: Matrix = np.eye(2, 3)
        warp[:, 2] = guess[:2, 2] * scale
        found = most_alike(b, a, warp, cv2.MOTION_TRANSLATION, _UNTIL_ALIKE)
        if found is None:
            return _still(confidence_of(_UNFOUND_PX), guess)
        agreement, warp = found
        motion = np.eye(3)
        motion[:2, 2] = warp[:, 2] / scale
        off = _registration_error_px(b, a, warp) / scale / max(agreement, 0.1)
        off = float(np.hypot(off, _OFF_SHARE * np.hypot(*motion[:2, 2])))
        return _still(confidence_of(off), motion)


def follow_from(
    reference: Prepared, after: Prepared, guess: Matrix, standing: NDArray[np.bool_] | None = None
) -> Matrix | None:
    """The homography from a reference to another frame near a guess, about the centre; None if it is not found.

    `standing` (n,): which of the reference's corners count.
    """
    key = Key(0, reference, np.full((CELLS[1], CELLS[0]), NEUTRAL), only=standing)
    match = matched(key, after, guess)
    return None if match is None or match.confidence < 0.2 else match.motion


def _registration_error_px(before: NDArray[np.uint8], after: NDArray[np.uint8], warp: Matrix) -> float:
    """How far a shift (2, 3) may be off: what is left of the difference, by how steep the picture is where it is left.

    The deviation of a least-squares fit (Lucas & Kanade 1981), of neighbours that err alike. One pixel for a picture
    in which nothing is steep in some direction.
    """
    size = before.shape[1], before.shape[0]
    flags = cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP
    moved = cv2.warpAffine(after, warp, size, flags=flags, borderMode=cv2.BORDER_REPLICATE)
    left = moved.astype(np.float32) - before
    left -= left.mean()
    across, down = (cv2.Sobel(before, cv2.CV_32F, *way, scale=1 / 8) for way in ((1, 0), (0, 1)))
    steep = across**2 + down**2
    xx, yy, xy = (float((first * second).sum()) for first, second in ((across, across), (down, down), (across, down)))
    determinant = xx * yy - xy * xy
    if determinant < _EDGE_ALONE * max(xx, yy, 1.0) ** 2:
        return 1.0
    spread = float((steep * left**2).sum()) / max(float(steep.sum()), 1e-6)
    return _ALIKE * float(np.sqrt(spread * (xx + yy) / determinant))


def confidence_of(off_px: float) -> float:
    """How sure a shift is that was found without corners and may be so far off: 0 to `MOST_WITHOUT_CORNERS`."""
    return MOST_WITHOUT_CORNERS / (1 + off_px)


def shift_error_px(confidence: NDArray[np.float64]) -> NDArray[np.float64]:
    """How far shifts may be off that are so sure: what `confidence_of` was told."""
    return MOST_WITHOUT_CORNERS / confidence - 1


def _still(confidence: float, motion: Matrix | None = None) -> Step:
    return Step(motion=np.eye(3) if motion is None else motion, confidence=confidence)
