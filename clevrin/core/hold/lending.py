"""Loaned motion: the course of another take, of a hand, or of a simulated rig as the gate's own motion."""

from fractions import Fraction

import numpy as np
from numpy.typing import NDArray

from clevrin.core.document import Hold, Loan, Motion, Span
from clevrin.core.document.loans import Lent
from clevrin.core.hold.held import HeldPath, maps_of
from clevrin.core.hold.report import course, quick_part
from clevrin.core.hold.solve import held_path
from clevrin.core.importing import importing
from clevrin.core.motion.rig import rig_course
from clevrin.core.motion.trace.trace import Trace

Numbers = NDArray[np.float64]


def loan_maps(
    loan: Loan, lender: Trace | Motion | None, frames: int, rate: float, size: tuple[int, int], settle_s: float
) -> Numbers:
    """(frames, 3, 3): where lent motion puts a gate on a picture of a size, in pixels about its centre.

    `lender` is the trace of the take or the kept motion that the loan names. Motion of another rate is taken at the
    same instants, and of another size in widths of the picture; where it is over, shake goes back the way it came,
    and a course stays where it ended.
    """
    return gates_of(loan_course(loan, lender, frames, rate, settle_s), size)


def loan_course(loan: Loan, lender: Trace | Motion | None, frames: int, rate: float, settle_s: float) -> Numbers:
    """The same as a course (frames, 4), as in a `Motion`: at rest where there is no lender."""
    if loan.lender == "rig":
        given, given_rate = rig_course(loan.rig, loan.seed, frames, rate), rate
    elif isinstance(lender, Motion):
        given, given_rate = np.array(lender.course, np.float64)[loan.first :], float(lender.rate)
    elif isinstance(lender, Trace):
        lent_from = Span(first=min(loan.first, lender.frames - 1), end=lender.frames)
        given, given_rate = _course_of(lender, lent_from), float(lender.rate)
    else:
        return np.zeros((frames, 4))
    if len(given) == 0:
        given = np.zeros((1, 4))
    lent = lent_part(given, given_rate, loan.lent, settle_s)
    at = np.arange(frames) * given_rate / rate
    last = len(lent) - 1
    if loan.lent == "course":
        at = np.minimum(at, last)
    elif last > 0:
        at = last - np.abs(np.mod(at, 2 * last) - last)
    else:
        at = np.zeros(frames)
    taken = np.column_stack([np.interp(at, np.arange(len(lent)), column) for column in lent.T])
    return np.asarray(taken * (loan.amount, loan.amount, loan.amount, loan.size))


def kept_motion(name: str, trace: Trace) -> Motion:
    """What a take's camera did, as a motion that is kept with a project: it stays when the take is gone."""
    found = np.clip(_course_of(trace, Span(first=0, end=trace.frames)), -1000, 1000)
    rows = tuple(tuple(round(value, 6) for value in row) for row in (found - found[0]).tolist())
    return Motion.model_validate({"name": name, "rate": trace.rate, "course": rows})


def gates_of(taken: Numbers, size: tuple[int, int]) -> Numbers:
    """Courses (n, 4), as in a `Motion`, as gates (n, 3, 3) on a picture of a size, about its centre."""
    pan, tilt, roll, zoom = taken.T
    turn, growth = np.radians(roll), np.exp(-zoom)
    a, b = growth * np.cos(turn), -growth * np.sin(turn)
    return maps_of(np.column_stack([a, b, pan * size[0], -tilt * size[0]]))


def lent_part(given: Numbers, rate: float, lent: Lent, settle_s: float) -> Numbers:
    """What of a course (n, 4) is lent: all of it, its shake over 1 Hz, or how it differs from its held path."""
    if lent == "course" or len(given) < 4:
        return given - given[0]
    if lent == "shake":
        return quick_part(given, rate)
    return given - held_course(given, rate, settle_s)


def held_course(given: Numbers, rate: float, settle_s: float) -> Numbers:
    """The course (n, 4) on which a float with a settle would put a camera that took this one."""
    trace = as_trace(given, rate)
    span = Span(first=0, end=trace.frames)
    path = held_path(trace, span, Hold(how="float", settle_s=max(settle_s, 0.1), edge="bare"))
    found = _course_of(trace, span, path)
    # Both courses begin at 0: the held one is moved so that the difference swings about nothing.
    return np.asarray(found + np.mean(given - given[0] - found, axis=0) + given[0])


def as_trace(given: Numbers, rate: float) -> Trace:
    """A course (n, 4) as the trace of a picture that stood before the camera."""
    width, height = 1280, 720
    gates = gates_of(given - given[0], (width, height))
    motions = np.repeat(np.eye(3)[None], len(given), axis=0)
    motions[1:] = np.linalg.inv(gates[1:]) @ gates[:-1]
    shift = np.eye(3)
    shift[:2, 2] = (width - 1) / 2, (height - 1) / 2
    return Trace(
        width=width,
        height=height,
        rate=Fraction(rate).limit_denominator(1001),
        times_s=np.arange(len(given)) / rate,
        model="similarity",
        motions=shift @ motions @ np.linalg.inv(shift),
        confidence=np.ones(len(given)),
        shutter_deg=None,
    )


def smoothed(performed: Numbers, rate: float, settle_s: float) -> Numbers:
    """A performed course (n, 4) without the jumps of the mouse: motion quicker than a settle is taken out."""
    with importing:
        from scipy.ndimage import gaussian_filter1d

    if settle_s <= 0 or len(performed) < 4:
        return performed
    return np.asarray(gaussian_filter1d(performed, settle_s * rate / 4, axis=0, mode="nearest"))


def _course_of(trace: Trace, span: Span, path: HeldPath | None = None) -> Numbers:
    """The course of a span, as shot or as held, in the units of a `Motion`: (span.frames, 4)."""
    found = course(trace, span, path)
    return np.column_stack([found.pan / trace.width, found.tilt / trace.width, found.roll, found.zoom / 100])
