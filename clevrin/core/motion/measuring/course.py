"""The course of a take: how the plane that is followed moved, frame by frame, and how surely that is known."""

from collections.abc import Mapping
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from clevrin.core.errors import CancelledError
from clevrin.core.motion.geometry.lens import Habit, Lesson
from clevrin.core.motion.geometry.mesh import local_motion
from clevrin.core.motion.geometry.models import (
    HOMOGRAPHY,
    MESH_KNOTS,
    MODELS,
    NEGLIGIBLE_PX,
    Matrix,
    Points,
    apply,
    apply_each,
    rescaled,
    robust_cost,
)
from clevrin.core.motion.matching.fitting import Fits, fit_similarities, fit_translations
from clevrin.core.motion.matching.matching import seen_share
from clevrin.core.motion.matching.working_picture import means_by_cell
from clevrin.core.motion.measuring.background_plane import FOLLOWED, Stretch, fitted_as_expected, follow, tell_groups
from clevrin.core.motion.measuring.key_frames import MOST_WITHOUT_CORNERS, shift_error_px
from clevrin.core.motion.measuring.pieces import Rows
from clevrin.core.motion.trace.trace import REPEATED
from clevrin.core.progress import Progress

_FEWEST = 6
"""Corners under which a frame's first idea is as good, and something that was pointed at is lost."""
_ENOUGH_TO_LEARN, _ENOUGH_TO_BEND = 20, 10
"""Corners from which on a frame teaches how the lens behaves, and what is left may be told place by place."""
_PLAIN_PX = 0.1
"""Working pixels of residual under which a homography has left nothing for a mesh to tell."""
_ALIKE = 1.5
"""Corners whose windows overlap err alike: by how much larger than for independent ones the deviation is."""
_TOLERABLE_PX, _TOLERABLE_SHARE = 0.6, 0.02
"""By how much corners may be off, in working pixels and as a share of the movement, for a frame to be sure."""
_UNSURE_PX = 8.0
_UNTURNED_PX = 0.7
"""How far off the corners are, usually, of a shift that says nothing of turning and growing."""
_FAR_PX = 24.0
"""What moves further than this by itself in a frame counts as no more."""


@dataclass(frozen=True, kw_only=True, eq=False)
class Course:
    """Per frame (n, ...), in working pixels about the picture's centre.

    `motions` (n, 3, 3, 3) in the order of `MODELS`, steps from the frame before; `cost` (n, 4) and `points` for
    choosing among them and the mesh; `mesh` (n, rows, columns, 2); `sigma` (n, 3, 2): the deviation of the step in
    each of `MODELS` at the centre and at the corners; `parallax` (n,): what all that is tracked does beside the motion
    that is followed, RMS over the picture; `changed` (n,): whether another plane is followed from here on. `groups` of
    each corner of each key frame, laid one after the other as `group_keys` and `group_counts` say.
    """

    motions: NDArray[np.float64]
    cost: NDArray[np.float64]
    points: NDArray[np.int64]
    confidence: NDArray[np.float64]
    mesh: NDArray[np.float32]
    sigma: NDArray[np.float64]
    parallax: NDArray[np.float64]
    changed: NDArray[np.bool_]
    group_keys: NDArray[np.int64]
    group_counts: NDArray[np.int64]
    groups: NDArray[np.int8]

    @staticmethod
    def of(arrays: Mapping[str, NDArray], frames: int) -> "Course | None":
        """What was kept; None if it is not whole."""
        try:
            course = Course(**{name: arrays[name] for name in Course.__dataclass_fields__})
        except KeyError:
            return None
        per_frame = ("motions", "cost", "points", "confidence", "mesh", "sigma", "parallax", "changed")
        whole = all(len(getattr(course, name)) == frames for name in per_frame)
        whole &= course.motions.shape[1:] == (len(MODELS), 3, 3) and course.sigma.shape[1:] == (len(MODELS), 2)
        whole &= course.mesh.shape[1:] == (*MESH_KNOTS, 2)
        whole &= len(course.group_keys) == len(course.group_counts) and len(course.groups) == course.group_counts.sum()
        return course if whole else None


GROUPS = ("group_keys", "group_counts", "groups")


def groups_of(course: Mapping[str, NDArray], key: int) -> NDArray[np.int8] | None:
    """The groups of a key frame's corners, by the arrays of a course that `GROUPS` names."""
    keys, counts, groups = (course[name] for name in GROUPS)
    at = np.flatnonzero(keys == key)
    if not len(at):
        return None
    first = int(counts[: at[0]].sum())
    return groups[first : first + int(counts[at[0]])]


def course_of(
    rows: Rows, shape: tuple[int, int], progress: Progress, pointed: tuple[int, Points] | None = None
) -> Course:
    """The course of a take from all that was tracked in it; see `following` for `pointed`.

    Costs 1 to 2 ms a frame, and some kB of memory.
    """
    stretches = rows.stretches(shape)
    follow(stretches, pointed)
    if progress.cancelled():
        raise CancelledError
    _settle_lens(stretches)
    blank = _from_first_ideas(rows)
    fitted = _Fitted(rows, blank, chosen=pointed is not None)
    for stretch in stretches:
        fitted.take(stretch)
        tell_groups(stretch)
        if progress.cancelled():
            raise CancelledError
    return replace(
        blank,
        group_keys=np.array([s.key for s in stretches], np.int64),
        group_counts=np.array([len(s.groups) for s in stretches], np.int64),
        groups=np.concatenate([np.empty(0, np.int8), *(s.groups for s in stretches)]),
    )


def _from_first_ideas(rows: Rows) -> Course:
    n = len(rows)
    sure = rows.confidence
    unsure = np.where(sure > 0, _UNSURE_PX * (1.2 - sure), np.inf)
    shifted = (rows.keys < 0) & (sure > 0) & (sure <= MOST_WITHOUT_CORNERS)
    unsure[shifted] = shift_error_px(sure[shifted])
    unsure[sure == REPEATED] = 0.0
    unsure[:1] = 0.0
    both = np.stack([unsure, np.where(shifted, np.hypot(unsure, _UNTURNED_PX), unsure)], axis=1)
    return Course(
        motions=np.repeat(rows.motions[:, None], len(MODELS), axis=1),
        cost=np.zeros((n, len(MODELS) + 1)),
        points=np.zeros(n, np.int64),
        confidence=rows.confidence.copy(),
        mesh=np.zeros((n, *MESH_KNOTS, 2), np.float32),
        sigma=np.repeat(both[:, None], len(MODELS), axis=1),
        parallax=np.zeros(n),
        changed=np.zeros(n, bool),
        group_keys=np.empty(0, np.int64),
        group_counts=np.empty(0, np.int64),
        groups=np.empty(0, np.int8),
    )


def _settle_lens(stretches: list[Stretch]) -> None:
    """Learns from the whole take how its homographies follow from its similarities, and fits them again with that."""
    habit = Habit()
    for stretch in stretches:
        fits = stretch.fits
        assert fits is not None
        for scaled, spread, counts in zip(fits.scaled, fits.spread(), fits.weights, strict=True):
            if (counts > 0.2).sum() >= _ENOUGH_TO_LEARN:
                habit.learn(Lesson(scaled=scaled, spread=float(spread), radius_px=stretch.radius))
    for stretch in stretches:
        fits = stretch.fits
        assert fits is not None
        told = [
            habit.expected_of(scaled, spread, stretch.radius, float(shift))
            for scaled, spread, shift in zip(fits.scaled, fits.spread(), stretch.shift, strict=True)
        ]
        fitted_as_expected(stretch, np.array([four for four, _ in told]), np.array([allowed for _, allowed in told]))


class _Fitted:
    """Fills in what the stretches tell, one after the other."""

    def __init__(self, rows: Rows, course: Course, *, chosen: bool) -> None:
        self._chosen = chosen
        self._rows = rows
        self._course = course

    def take(self, stretch: Stretch) -> None:
        course, fits = self._course, stretch.fits
        assert fits is not None
        motions = _all_models(stretch, fits)
        cost = _costs(stretch, fits, motions)
        members = (stretch.groups == FOLLOWED) & stretch.known & (fits.weights > 0.1)
        at_places = _deviations(stretch, fits)
        before = np.eye(3)[None].repeat(len(MODELS), axis=0)
        before_places, before_row = stretch.corners, -1
        if stretch.changed:
            course.changed[stretch.frames[0]] = True
        if stretch.foreign:  # it hides all the rest: how the camera moves meanwhile is not known
            for frame in stretch.frames:
                self._forget(frame)
            return
        for row, frame in enumerate(stretch.frames):
            if members[row].sum() < _FEWEST:
                if self._chosen:  # the first idea is of what covers the most
                    self._forget(frame)
                continue
            bridges = int(self._rows.bridges[frame])
            if before_row < 0 and frame - 1 - bridges != stretch.key:
                before = self._since(stretch.key, int(frame) - 1 - bridges)
            steps = motions[row] @ np.linalg.inv(before)
            course.motions[frame] = steps / steps[:, 2:, 2:]
            course.cost[frame, : len(MODELS)] = cost[row]
            course.points[frame] = members[row].sum()
            course.sigma[frame] = np.hypot(at_places[row], at_places[before_row] if before_row >= 0 else 0.0)
            # Far from something small that was pointed at its plane is not known, and need not be.
            followed, at = (_few_followed, 0) if self._chosen else (_much_followed, 1)
            sure = followed(stretch, members[row]) * _tolerable(steps[HOMOGRAPHY], course.sigma[frame, -1, at])
            course.confidence[frame] = round(sure, 4)
            if frame - bridges - 1 == stretch.key or before_row >= 0:
                self._local(stretch, row, before_places, int(frame))
            before, before_places, before_row = motions[row], stretch.places[row], row

    def _forget(self, frame: int) -> None:
        """Nothing is known of the motion into a frame."""
        self._course.motions[frame] = np.eye(3)
        self._course.confidence[frame] = 0.0
        self._course.sigma[frame] = np.inf

    def _since(self, key: int, frame: int) -> Matrix:
        """(3, 3, 3): the motions from a key frame to a later frame, by the steps between them."""
        total = np.eye(3)[None].repeat(len(MODELS), axis=0)
        for k in range(key + 1, frame + 1):
            total = self._course.motions[k] @ total
        return total / total[:, 2:, 2:]

    def _local(self, stretch: Stretch, row: int, before: Points, frame: int) -> None:
        """The mesh of a frame, what it is worth, and the parallax."""
        course, fits = self._course, stretch.fits
        assert fits is not None
        both = np.isfinite(before[:, 0]) & stretch.known[row]
        if both.sum() < _ENOUGH_TO_BEND:
            return
        b, a = before[both], stretch.places[row][both]
        step = course.motions[frame, HOMOGRAPHY]
        off = np.minimum(np.hypot(*(a - apply(step, b)).T), _FAR_PX)
        course.parallax[frame] = np.sqrt(means_by_cell(stretch.cells[both], off**2)[1].mean())
        noise = float(fits.noise_px[row])
        follows = (stretch.groups[both] == FOLLOWED) & (fits.weights[row][both] > 0.1)
        left, gain = noise, 0.0
        if max(noise, course.parallax[frame] / 4) > _PLAIN_PX:
            mesh, left, gain = local_motion(b, a, step, stretch.centre, follows)
            course.mesh[frame] = mesh
        # All models are judged by the noise that the richest of them leaves.
        course.cost[frame] *= max(1.0, noise / max(left, NEGLIGIBLE_PX)) ** 2
        course.cost[frame, -1] = course.cost[frame, HOMOGRAPHY] - gain


def _all_models(stretch: Stretch, fits: Fits) -> Matrix:
    """(frames, 3, 3, 3): the motions from the key frame in every model."""
    return np.stack(
        [
            fit_translations(stretch.corners, stretch.places, fits.weights),
            fit_similarities(stretch.corners, stretch.places, fits.weights),
            rescaled(fits.scaled, 1 / stretch.radius),
        ],
        axis=1,
    )


def _costs(stretch: Stretch, fits: Fits, motions: Matrix) -> Points:
    counts = (stretch.groups == FOLLOWED) & stretch.known
    scale = np.maximum(fits.noise_px, NEGLIGIBLE_PX)
    costs = np.empty((len(stretch.frames), len(MODELS)))
    for model in range(len(MODELS)):
        moved = apply_each(motions[:, model], stretch.corners)
        missed = np.where(counts, np.hypot(*(moved - stretch.places).transpose(2, 0, 1)), 0.0)
        costs[:, model] = robust_cost(missed, scale)
    return costs


def _deviations(stretch: Stretch, fits: Fits) -> Points:
    """(frames, 3, 2): how far a fit may be off in each model, at the centre and at the corners, in working pixels."""
    half = stretch.centre / stretch.radius
    at = np.array([[0.0, 0.0], *(half * (x, y) for x in (-1, 1) for y in (-1, 1))])
    points = np.column_stack([at, np.ones(5)])
    rows = np.zeros((5, 2, 8))
    rows[:, 0, :3] = rows[:, 1, 3:6] = points
    rows[:, 0, 6:] = -at[:, :1] * at
    rows[:, 1, 6:] = -at[:, 1:] * at
    variance = np.einsum("pai,fij,paj->fp", rows, fits.covariance, rows) * stretch.radius**2
    # A shift is the mean of all that counts; a similarity turns and grows about their middle besides.
    total = np.maximum(fits.weights.sum(axis=1), 1e-6)
    place = np.einsum("fn,nd->fd", fits.weights, stretch.corners) / total[:, None]
    inertia = np.einsum("fn,fn->f", fits.weights, ((stretch.corners[None] - place[:, None]) ** 2).sum(axis=2))
    shift = 2 * fits.noise_px**2 / total
    arms = ((at[None] * stretch.radius - place[:, None]) ** 2).sum(axis=2)
    turned = shift[:, None] * (1 + total[:, None] * arms / np.maximum(inertia, 1e-6)[:, None])
    every = np.stack([np.repeat(shift[:, None], 5, axis=1), turned, variance], axis=1)
    sums = np.stack([every[..., 0], every[..., 1:].mean(axis=2)], axis=2)
    return np.asarray(_ALIKE * np.sqrt(sums))


def _much_followed(stretch: Stretch, members: NDArray[np.bool_]) -> float:
    """0 to 1, from how many corners follow, over how much of the picture, and which share of those that should.

    What covers little is not what the camera moves past: in a crowd there is always somebody whom some others move
    with.
    """
    followers = stretch.corners[members] + stretch.centre + 0.5
    covers = stretch.area(members.astype(float)) / max(1.0, stretch.area(stretch.known.any(axis=0).astype(float)))
    seen = seen_share(followers, stretch.shape, int((stretch.groups == FOLLOWED).sum()))
    return seen * min(1.0, 0.05 + 3 * covers)


def _few_followed(stretch: Stretch, members: NDArray[np.bool_]) -> float:
    """The same for something that was pointed at, which may be small."""
    count = int(members.sum())
    share = count / max(1, int((stretch.groups == FOLLOWED).sum()))
    return min(1.0, count / 12) * min(1.0, 0.3 + 1.4 * share)


def _tolerable(step: Matrix, sigma_px: float) -> float:
    """0 to 1: a frame that may be off by more than is tolerable, for how fast it moves, is the less sure."""
    moved = float(np.hypot(*step[:2, 2])) / abs(float(step[2, 2]))
    return min(1.0, (_TOLERABLE_PX + _TOLERABLE_SHARE * moved) / max(sigma_px, 1e-6))
