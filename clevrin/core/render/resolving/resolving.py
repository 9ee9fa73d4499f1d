"""What a plan needs is looked up here, before planning, and becomes a value: planning asks nothing of anybody.

A shot is resolved to how it is held: as it was shot, along a path, or not yet, and then with the measurement that is
lacking. `resolve` takes what is measured; `complete` measures what is not.
"""

from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from fractions import Fraction

import numpy as np
from numpy.typing import NDArray

from clevrin.core.document import Film, Pinned, Project, Shot, Take, Track
from clevrin.core.document.colour import BT709, Colour
from clevrin.core.document.model import Fit
from clevrin.core.gate.course import GateCourse
from clevrin.core.gate.form import GateForm
from clevrin.core.hold import HeldPath, held_path
from clevrin.core.hold.lending import loan_maps
from clevrin.core.hold.reel_motion import course_over
from clevrin.core.join.balancing import EVEN, Gains
from clevrin.core.join.kinds.kind import After, AreaOf, Door, Edge, Move
from clevrin.core.motion.measuring.registration import Registration, best_reference
from clevrin.core.motion.trace.trace import Trace
from clevrin.core.motion.tracks.both_ways import Followed, carried
from clevrin.core.pace import Placed, placed_shots, stamped_frame, stamped_instant
from clevrin.core.progress import Progress
from clevrin.core.render.measured.carried import AreaKnown, PinKnown
from clevrin.core.render.measured.lookup import Ask, NotMeasuredError, answer_of, area_known, trace_of
from clevrin.core.render.measured.measurement_needs import Need, RegistrationNeed, TrackNeed
from clevrin.core.render.measured.measurement_store import MeasurementStore, still_trace
from clevrin.core.render.resolving.hold_request import HoldRequest
from clevrin.core.render.resolving.reel_colour import reel_colour
from clevrin.core.render.resolving.visible_shots import passed

_NOW = Fraction(0)


@dataclass(frozen=True, kw_only=True)
class AsShot:
    """The shot is shown as it was shot: nothing is asked of it."""


@dataclass(frozen=True, kw_only=True, eq=False)
class Lenders:
    """The frames of a take that others may borrow from: its trace, and the way from its first frame to each."""

    trace: Trace
    chain: NDArray[np.float64]


@dataclass(frozen=True, kw_only=True, eq=False)
class Held:
    """The shot goes along a path. `lenders`, with the edge that borrows: what is known of its take's other frames."""

    path: HeldPath
    lenders: Lenders | None = None


@dataclass(frozen=True, kw_only=True)
class Lacking:
    """The shot cannot be held yet: this is not measured."""

    need: Need


@dataclass(frozen=True, kw_only=True, eq=False)
class ResolvedShot:
    """A shot with all that planning its frames needs.

    `stamps_s`: the times of its take's frames, if they vary. `fit`, `bars`: how it stands on the reel. `course`: how
    its camera moved, where moments between frames are made; `sharp`: what its added blur spares; `beyond`: what is
    known of the take's other frames, where a join shows more than one of them saw; `surface`: where that is which its
    join goes through; `area`: the one by which its join shows the other side; `pinned`: what stands in its scene;
    `kept_out`: what its edge may not borrow.
    """

    shot: Shot
    take: Take
    stamps_s: tuple[float, ...] | None
    state: AsShot | Held | Lacking
    fit: Fit = "fill"
    bars: str = "#000000"
    course: Trace | None = None
    sharp: Followed | AreaKnown | None = None
    beyond: Lenders | None = None
    surface: Followed | None = None
    area: AreaKnown | None = None
    pinned: tuple[PinKnown, ...] = ()
    kept_out: AreaKnown | None = None

    @property
    def as_shot(self) -> "ResolvedShot":
        """The same without its hold and what is pinned, for looking at before and after."""
        return replace(self, state=AsShot(), pinned=())

    def take_of(self, take_id: str) -> Take:
        """The take of the shot, or one that is pinned to it; raises `KeyError`."""
        films = (each.film for each in self.pinned if each.film is not None)
        return next(each for each in (self.take, *films) if each.id == take_id)


@dataclass(frozen=True, kw_only=True, eq=False)
class Shown:
    """A shot at a frame of the reel, its share of the picture, and what a join does to it (see `Passing`)."""

    resolved: ResolvedShot
    placed: Placed
    at: int
    weight: float
    move: Move | None = None
    behind: Edge | None = None
    shutter_deg: float = 0.0
    gains: Gains = EVEN
    over: Move | None = None
    """Motion over the reel, on top of that."""
    door: Door | None = None
    from_cut: float = 0.0
    framed: bool = False
    """Nothing of it is seen beyond its own picture."""
    rest: bool = False
    """It is seen where the others are not."""
    area: AreaOf | None = None
    """It is seen there alone."""
    front: AreaOf | None = None
    """What of it stands before the others."""

    @property
    def frame(self) -> int:
        """The frame of the take that is the nearest."""
        return stamped_frame(self.placed, self.at, self.resolved.stamps_s)

    def instant(self, later: Fraction = _NOW) -> Fraction:
        """The moment of the take that is shown, or that so many frames of the reel later."""
        return stamped_instant(self.placed, self.at + later, self.resolved.stamps_s)


@dataclass(frozen=True, kw_only=True, eq=False)
class ResolvedFrame:
    """What a frame of the reel shows, on a reel of a size in pixels and in its colours; nothing: black.

    `effects` are done to the whole picture.
    """

    reel_size: tuple[int, int]
    shown: tuple[Shown, ...]
    colour: Colour = BT709
    effects: tuple[After, ...] = ()


def resolve(request: HoldRequest, store: MeasurementStore) -> ResolvedShot:
    """A shot as far as it is measured; solves its path, and remembers it. Measures nothing.

    Raises `ClevrinError` where no path can be found. Costs nothing to speak of the second time; see `solve_path`
    for the first.
    """
    return _resolved(request, store, store.find)


def complete(request: HoldRequest, store: MeasurementStore, progress: Progress) -> ResolvedShot:
    """A shot with all that its hold needs measured: its state is never `Lacking`.

    Does not depend on the shelf: what is measured here and cannot be kept is used all the same. Raises `MediaError`
    for what cannot be measured, `CancelledError` when stopped.
    """
    return _resolved(request, store, lambda need: store.make(need, progress))


def unheld(request: HoldRequest, store: MeasurementStore) -> ResolvedShot:
    """A shot as it was shot, whatever its hold: no path is solved."""
    take = request.take
    return ResolvedShot(
        shot=request.shot,
        take=take,
        stamps_s=store.times_s(take),
        state=AsShot(),
        fit=request.fit,
        bars=request.bars,
    )


def resolve_frame(project: Project, frame: int, of: Callable[[Shot], ResolvedShot]) -> ResolvedFrame:
    """What a frame of the reel shows; `of` gives the shots, resolved. Outside of the reel it shows nothing."""
    reel = project.reel
    over = _over(project, frame)
    all_of_it = passed(placed_shots(project), frame, reel.aspect, lambda shot: of(shot).course)
    shown = tuple(
        Shown(
            resolved=of(each.placed.shot),
            placed=each.placed,
            at=frame,
            weight=each.share,
            move=each.move,
            behind=each.edge,
            shutter_deg=each.shutter_deg,
            gains=each.gains,
            over=over,
            door=each.door,
            from_cut=each.at,
            area=each.area,
            rest=each.rest,
            front=each.front,
        )
        for each in all_of_it.shots
    )
    size = reel.size
    return ResolvedFrame(reel_size=size, shown=shown, colour=reel_colour(project), effects=all_of_it.effects)


def _over(project: Project, frame: int) -> Move | None:
    """The motion over the reel about a frame of it, by the time from its middle; None where there is none."""
    laid = next((each for each in project.reel.over if each.first <= frame < each.end), None)
    if laid is None:
        return None
    course = course_over(project, laid)
    return lambda later: course.at(frame - laid.first + later)


def _resolved(request: HoldRequest, store: MeasurementStore, ask: Ask) -> ResolvedShot:
    as_shot = unheld(request, store)
    try:
        as_shot = _with_moments(as_shot, request, ask)
        if request.spared_area is not None:
            as_shot = replace(as_shot, sharp=area_known(request.take, request.spared_area, store.chain, ask))
        if request.surface is not None:
            as_shot = replace(as_shot, surface=_carried(request, request.surface, store, ask))
        if request.area is not None:
            as_shot = replace(as_shot, area=area_known(request.take, request.area, store.chain, ask))
        if request.pinned:
            pinned = tuple(_pinned(request, each, store, ask) for each in request.pinned)
            as_shot = replace(as_shot, pinned=pinned)
        if request.kept_out is not None:
            as_shot = replace(as_shot, kept_out=area_known(request.take, request.kept_out, store.chain, ask))
        if request.goes_on:
            as_shot = replace(as_shot, beyond=_lenders(request, store, ask))
        if not request.moved:
            return as_shot
        path = store.remembered.once(("held", request.key), lambda: _path(request, ask))
        borrows = request.shot.hold.edge == "borrow"
        return replace(as_shot, state=Held(path=path, lenders=_lenders(request, store, ask) if borrows else None))
    except NotMeasuredError as error:
        return replace(as_shot, state=Lacking(need=error.need))


def _with_moments(shot: ResolvedShot, request: HoldRequest, ask: Ask) -> ResolvedShot:
    """A shot with what moments between its frames are made from."""
    if not request.needs_course:
        return shot
    sharp = None
    if request.spared is not None:
        answer = answer_of(TrackNeed(take=request.take, track=request.spared), ask)
        sharp = answer if isinstance(answer, Followed) else None
    return replace(shot, course=trace_of(request.take, ask), sharp=sharp)


def _path(request: HoldRequest, ask: Ask) -> HeldPath:
    """The held path, solved from what is asked for; raises `NotMeasuredError`."""
    take, shot, hold = request.take, request.shot, request.hold
    trace = trace_of(take, ask, mesh=hold.mesh) if request.needs_trace else still_trace(take)
    registration = followed = loan = None
    if hold.how == "lock-off":
        chosen = hold.reference
        reference = best_reference(trace, shot.span) if chosen is None or chosen not in shot.span else chosen
        answer = answer_of(RegistrationNeed(take=take, span=shot.span, reference=reference), ask)
        registration = answer if isinstance(answer, Registration) else None
    if hold.how == "anchor" and request.track is not None:
        answer = answer_of(TrackNeed(take=take, track=request.track), ask)
        followed = answer if isinstance(answer, Followed) else None
    if shot.loan is not None and request.lent:
        lender = request.lender
        lent_by = trace_of(lender, ask) if isinstance(lender, Take) else lender
        size = take.facts.width, take.facts.height
        loan = loan_maps(shot.loan, lent_by, shot.span.frames, float(trace.rate), size, hold.settle_s)
    path = held_path(
        trace,
        shot.span,
        hold,
        registration=registration,
        followed=followed,
        loan=loan,
        shape=request.shape,
        posed=_gate_course(request, trace, ask),
    )
    assert path is not None, "only a shot that is moved has its path asked for"
    return path


def _gate_course(request: HoldRequest, trace: Trace, ask: Ask) -> GateCourse | None:
    """What its gate's course is found from; None for a gate that rests."""
    take, gate = request.take, request.gate
    if gate.rests:
        return None
    answers = {each.id: answer_of(TrackNeed(take=take, track=each), ask) for each in request.subjects}
    followed = {id: found for id, found in answers.items() if isinstance(found, Followed)}
    return gate_course(request.shot, trace, followed, request.shape)


def gate_course(
    shot: Shot, trace: Trace, followed: Mapping[str, Followed], shape: tuple[int, int] | None
) -> GateCourse:
    """The course of a shot's gate, from what was measured."""
    return GateCourse(
        gate=shot.gate(),
        form=GateForm.of((trace.width, trace.height), shape),
        trace=trace,
        followed=followed,
        mirror=shot.mirror,
        turns=shot.turns,
        inside=shot.hold.stays_inside,
        keep=1.0 if shot.hold.how == "none" else shot.hold.keep,
    )


def _carried(request: HoldRequest, track: Track, store: MeasurementStore, ask: Ask) -> Followed:
    """Where a track is, carried with the picture where it is not seen."""
    answer = answer_of(TrackNeed(take=request.take, track=track), ask)
    assert isinstance(answer, Followed)
    chain = _lenders(request, store, ask).chain
    key = "carried", request.take.measured_as, track
    return store.remembered.once(key, lambda: carried(answer, chain))


def _pinned(request: HoldRequest, pinned: Pinned, store: MeasurementStore, ask: Ask) -> PinKnown:
    take = request.take
    track = next((each for each in take.tracks if pinned.ground != "scene" and each.id == pinned.track_id), None)
    shown = pinned.of.take_id if isinstance(pinned.of, Film) else None
    return PinKnown(
        pinned=pinned,
        take=take,
        chain=_lenders(request, store, ask).chain,
        followed=None if track is None else _carried(request, track, store, ask),
        behind=tuple(
            area_known(request.take, each, store.chain, ask) for each in take.areas if each.id in pinned.behind
        ),
        film=next((each for each in request.films if each.id == shown), None),
    )


def _lenders(request: HoldRequest, store: MeasurementStore, ask: Ask) -> Lenders:
    trace = trace_of(request.take, ask)
    return Lenders(trace=trace, chain=store.chain(request.take, trace))
