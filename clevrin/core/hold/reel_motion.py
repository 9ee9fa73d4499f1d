"""Motion over the reel: where it puts the picture at an instant, and how much of the picture that takes.

It moves the picture on the screen after everything else, in the same map. The picture is enlarged as far as it takes
that no edge is ever seen, and that comes and goes with the motion.
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from clevrin.core.byte_cache import ByteCache
from clevrin.core.document import Hold, Motion, Over, Project
from clevrin.core.hold.lending import gates_of, loan_course
from clevrin.core.motion.geometry.models import gate_corners

Numbers = NDArray[np.float64]

_SETTLE_S = 1.0
_HALVINGS = 9
_known = ByteCache(8 * 1024 * 1024)


@dataclass(frozen=True, kw_only=True, eq=False)
class OverCourse:
    """Of each frame of the stretch: the course (frames, 4) as in a `Motion`, and what of the width is left, `kept`."""

    course: Numbers
    kept: Numbers

    @property
    def least_kept(self) -> float:
        """How much of the picture's width is shown where it is enlarged most."""
        return float(self.kept.min())

    def at(self, frame: float) -> Numbers:
        """(3, 3): places on the screen to those of the picture, in widths from the middle, y down.

        `frame` from the stretch's first one; between frames the course goes on straight.
        """
        numbers = np.arange(len(self.course))
        taken = np.array([np.interp(frame, numbers, column) for column in self.course.T])
        gate = gates_of(taken[None], (1, 1))[0]
        gate[:2, :2] *= np.interp(frame, numbers, self.kept)
        return gate


def course_over(project: Project, over: Over) -> OverCourse:
    """Motion over a stretch of a project's reel, eased in and out; remembered."""
    reel = project.reel
    aspect = reel.aspect
    lender: Motion | None = None
    if over.loan.lender == "motion" and over.loan.lender_id is not None:
        lender = next((each for each in project.motions if each.id == over.loan.lender_id), None)
    key = over, reel.rate, aspect, None if lender is None else lender.id
    return _known.once(key, lambda: _course(over, lender, float(reel.rate), aspect))


def within_budget(project: Project, over: Over, keep: float = Hold().keep) -> Over:
    """Motion over the reel, lent no more strongly than leaves a share of the picture's width; as it is where it does.

    Costs some 20 times what its course costs.
    """
    if course_over(project, over).least_kept >= keep:
        return over
    low, high = 0.0, 1.0
    for _ in range(_HALVINGS):
        share = (low + high) / 2
        enough = course_over(project, _lent(over, share)).least_kept >= keep
        low, high = (share, high) if enough else (low, share)
    return _lent(over, low)


def _lent(over: Over, share: float) -> Over:
    """The same, so much less strongly: in whole hundredths, as it is told."""
    fields = {name: int(100 * share * getattr(over.loan, name)) / 100 for name in ("amount", "size")}
    return over.changed(loan=over.loan.changed(**fields))


def _course(over: Over, lender: Motion | None, rate: float, aspect: float) -> OverCourse:
    course = loan_course(over.loan, lender, over.frames, rate, _SETTLE_S)
    if over.loan.lent == "course" and over.loan.lender == "rig":
        course = course - course.mean(axis=0)  # a hand swings about where the picture is
    share = _eased(over.frames, over.ease)
    course = course * share[:, None]
    fits = _fits(course, aspect)
    # Enlarged no more than it takes at its worst, it comes and goes with the motion, and always covers the picture.
    kept = np.minimum(1 + share * (fits.min() - 1), fits)
    return OverCourse(course=course, kept=kept)


def _eased(frames: int, ease: int) -> Numbers:
    """(frames,): 0 at either end of a stretch, 1 from `ease` frames on."""
    if ease <= 0:
        return np.ones(frames)
    at = np.arange(frames)
    near = np.minimum(at, frames - 1 - at) / min(ease, max(1, (frames - 1) / 2))
    return np.asarray((1 - np.cos(np.pi * np.clip(near, 0, 1))) / 2)


def _fits(course: Numbers, aspect: float) -> Numbers:
    """(frames,): how large the gate of each frame may be, 1 at most, that it stays on the picture."""
    gates = gates_of(course, (1, 1))
    corners = gate_corners(1, 1) * (1, aspect)
    reach = np.abs(np.einsum("nij,kj->nki", gates[:, :2, :2], corners)).max(axis=1)
    room = np.array([0.5, aspect / 2]) - np.abs(gates[:, :2, 2])
    return np.clip((room / reach).min(axis=1), 0.05, 1.0)
