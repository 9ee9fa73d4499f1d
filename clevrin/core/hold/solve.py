"""From a measurement and the settings of a shot to its held path."""

from collections.abc import Callable
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from clevrin.core.document import Hold, Span
from clevrin.core.document.holding import LEAST_KEEP, Bounds
from clevrin.core.errors import NotMeasuredError
from clevrin.core.gate.form import GateForm
from clevrin.core.hold.anchoring import anchored
from clevrin.core.hold.bending import bend_of
from clevrin.core.hold.blurred import blurred_frames
from clevrin.core.hold.doubt import harmless
from clevrin.core.hold.framing import Gates, corners_moved, fits, framed, room_for
from clevrin.core.hold.held import HeldPath, maps_of
from clevrin.core.hold.leaning import settled_leaning
from clevrin.core.hold.lock_off import free_axes, locked_off
from clevrin.core.hold.move_boundaries import turning_frames
from clevrin.core.hold.path import PathProblem, cutoff_of, solve_path
from clevrin.core.motion.measuring.registration import Registration
from clevrin.core.motion.trace.trace import Trace
from clevrin.core.motion.tracks.both_ways import Followed
from clevrin.core.motion.whips import fast_frames, find_whips

Numbers = NDArray[np.float64]
Posed = Callable[[Span, Numbers], Numbers]
"""From the frames that are solved over, and where the held picture lies on the source at each (n, 3, 3), to where the
gate is wanted on the held picture (n, 3, 3); about the centre."""

_BEYOND_S = 2.0
_TURNING_HZ = 1.5
"""Where a move starts or stops, only motion quicker than this is taken out, so that nothing anticipates it."""
_BLURRED_TIMES = 3.0
"""By how much the cut-off is raised for blurred frames that are to keep more of their motion."""


def solving_span(span: Span, hold: Hold, trace: Trace) -> Span:
    """The frames that a held path is solved over: the shot's span, and what the take has beyond it, up to 2 s.

    A gate that stands, or stays with a subject, has nothing to gain from what is beyond.
    """
    if hold.how != "float":
        return span
    beyond = round(_BEYOND_S * float(trace.rate))
    return Span(first=max(0, span.first - beyond), end=min(trace.frames, span.end + beyond))


def held_path(
    trace: Trace,
    span: Span,
    hold: Hold,
    *,
    registration: Registration | None = None,
    followed: Followed | None = None,
    loan: Numbers | None = None,
    shape: tuple[int, int] | None = None,
    posed: Posed | None = None,
) -> HeldPath | None:
    """The held path of a shot over `solving_span`; None for a shot that is shown as it was shot.

    Lock-off needs the `registration` of that span, an anchor what was `followed`; both raise `NotMeasuredError`
    without. `loan` (span.frames, 3, 3) about the centre is where lent motion puts the gate on the held picture. With
    an edge that fills, every frame's gate lies inside the picture, and a float shows at least `keep` of its width;
    with other edges the gate is as large as the picture and goes where it must.

    `shape` (width, height in any unit) is that of the output: what is solved is solved for the corners of what it
    shows; None: the picture's own. `posed` says where the gate is wanted on the held picture, given where that lies on
    the source; both are found in turns, twice, for each depends on the other.
    """
    if hold.how == "none" and loan is None and posed is None:
        return None
    wide = solving_span(span, hold, trace)
    form = GateForm.of((trace.width, trace.height), shape)
    if posed is not None:
        form = form.with_poses(posed(wide, np.repeat(np.eye(3)[None], wide.frames, axis=0)))
    course = _course(trace, wide, hold, registration, followed, form)
    if posed is not None and hold.how != "none":
        form = form.with_poses(posed(wide, course.maps))
        if course.bound:  # else the gate was in nobody's way
            course = _course(trace, wide, hold, registration, followed, form)
    if hold.returned:
        # The gates between a path that fits and the picture itself fit too: the bounds are convex.
        course = replace(course, maps=(1 - hold.returned) * course.maps + hold.returned * np.eye(3))
    bend = bend_of(trace, wide, hold) if hold.mesh and hold.how != "none" else None
    if loan is not None:
        rows = np.clip(np.arange(wide.first, wide.end) - span.first, 0, len(loan) - 1)
        course = replace(course, maps=lent_onto(form, course.maps, loan[rows], hold))
    if posed is not None:
        form = form.with_poses(posed(wide, course.maps))
    # What is lent may take more of the picture than the hold keeps: that is its point.
    return framed(trace, wide, course, hold, form, bend, least=hold.keep if loan is None else 0.0)


def _course(
    trace: Trace,
    wide: Span,
    hold: Hold,
    registration: Registration | None,
    followed: Followed | None,
    form: GateForm,
) -> Gates:
    if hold.how == "none":
        return Gates.of(np.repeat(np.eye(3)[None], wide.frames, axis=0))
    if hold.how == "float":
        return floated(trace, wide, hold, form)
    if hold.how == "lock-off":
        if registration is None or registration.span != wide:
            raise NotMeasuredError("This shot has not been registered for lock-off yet.")
        return locked_off(trace, registration, hold, form)
    if followed is None or hold.anchor is None:
        raise NotMeasuredError("The point that this shot is anchored to has not been followed yet.")
    return anchored(trace, wide, hold, followed, form)


def lent_onto(form: GateForm, maps: Numbers, loan: Numbers, hold: Hold) -> Numbers:
    """Maps (n, 3, 3) with lent motion on them: less of it where all of it would leave next to nothing to see."""
    for amount in (1.0, 0.8, 0.6, 0.4, 0.2, 0.1):
        lent: Numbers = maps @ (amount * loan + (1 - amount) * np.eye(3))
        if not hold.stays_inside or fits(form, lent, LEAST_KEEP):
            return lent
    return maps


def floated(trace: Trace, span: Span, hold: Hold, form: GateForm) -> Gates:
    """The calmest course over a span of a take. Raises `ClevrinError` where no gate fits.

    Where blurred frames may keep more of their motion, it is solved twice: the first time tells which they are.
    """
    blurred: tuple[int, ...] = ()
    if hold.ease_blurred:
        plain = hold.changed(ease_blurred=False)
        harder = framed(trace, span, floated(trace, span, plain, form), plain, form)
        blurred = blurred_frames(trace, span, harder, find_whips(trace))
    problem = float_problem(trace, span, hold, form, blurred)
    most = round(_BEYOND_S * float(trace.rate))
    before = min(most, span.frames - 1) if span.first == 0 else 0
    after = min(most, span.frames - 1) if span.end == trace.frames else 0

    def solved(problem: PathProblem) -> tuple[Numbers, bool]:
        path = solve_path(gone_on(problem, before, after))
        return maps_of(harmless(trace, span, path.corrections[before : before + span.frames])), path.bound

    maps, bound = solved(problem)
    if not all(free_axes(hold)):
        return Gates.of(maps, bound=bound)
    leaned = settled_leaning(trace, span, maps, hold.settle_s, problem.fast)
    if bound and problem.limits is not None:
        # What leaning moves the corners by has to fit in, too: or all of the course would have to give way for it.
        maps, bound = solved(replace(problem, spare=corners_moved(form, maps, leaned)))
        leaned = settled_leaning(trace, span, maps, hold.settle_s, problem.fast)
    return Gates.of(leaned, bound=bound)


def gone_on(problem: PathProblem, before: int, after: int) -> PathProblem:
    """The problem with frames before and after it, in which the camera goes on as it does at the ends.

    The course is turned about its ends: a pan goes on as a pan. Without, the ends of a take would be less calm,
    because nothing is known beyond them.
    """
    n = len(problem.motions)
    at = np.abs(np.arange(-before, n + after))
    at = np.where(at > n - 1, 2 * (n - 1) - at, at)
    # The step into a frame before the first is the one out of its mirror image, and after the last likewise.
    into = np.concatenate([np.arange(before + 1, 1, -1)[:before], [1] if before else [0], np.arange(1, n)])
    into = np.concatenate([into, np.arange(n - 1, n - 1 - after, -1)])
    return replace(
        problem,
        motions=problem.motions[np.minimum(into, n - 1)],
        fast=problem.fast[at],
        demand=problem.demand[at],
        posed=None if problem.posed is None else problem.posed[at],
        spare=None if problem.spare is None else problem.spare[at],
    )


def float_problem(trace: Trace, span: Span, hold: Hold, form: GateForm, blurred: tuple[int, ...] = ()) -> PathProblem:
    """What is solved to float a span."""
    rate = float(trace.rate)
    whips = fast_frames(trace)
    cutoff = cutoff_of(hold.settle_s, rate)
    fast = whips.copy()
    for spared in hold.spared:
        fast[spared.first : spared.end] = True
    demand = np.ones(trace.frames)
    demand[turning_frames(trace, whips)] = min(1.0, (cutoff * rate / _TURNING_HZ) ** 6)
    if hold.ease_blurred and blurred:
        demand[list(blurred)] = np.minimum(demand[list(blurred)], _BLURRED_TIMES**-6)
    gate, limits = room_for(form, hold)
    return PathProblem(
        motions=trace.similarity[span.first : span.end],
        gate=gate,
        fast=fast[span.first : span.end],
        demand=demand[span.first : span.end],
        order=3,
        cutoff=cutoff,
        limits=limits,
        free=free_axes(hold),
        most=most_of(hold.bounds, trace),
        posed=form.posed,
    )


def most_of(bounds: Bounds, trace: Trace) -> tuple[float, float, float, float]:
    """Bounds as a path problem takes them: zoom, roll, across and down."""
    return (
        np.inf if bounds.zoom is None else bounds.zoom,
        np.inf if bounds.roll is None else float(np.tan(np.radians(min(bounds.roll, 80.0)))),
        np.inf if bounds.pan is None else bounds.pan * trace.width,
        np.inf if bounds.tilt is None else bounds.tilt * trace.width,
    )
