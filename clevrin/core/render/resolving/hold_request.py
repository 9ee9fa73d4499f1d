"""A shot with all of the document that its held path depends on."""

from collections.abc import Hashable
from dataclasses import dataclass
from fractions import Fraction
from functools import cached_property

from clevrin.core.document import Area, Film, Gate, Hold, Join, Motion, Pinned, Project, Shot, Take, Track
from clevrin.core.document.model import Fit
from clevrin.core.join.kinds import goes_by_itself, goes_on, named_by
from clevrin.core.pace.conform import arrives_by


@dataclass(frozen=True, kw_only=True)
class HoldRequest:
    """A shot, its take, the track that it is anchored to, and the take or motion that lends it motion.

    `track` and `lender` are None where there is none, and where what the shot names is gone. `shape` is that of the
    part of the source that the reel shows, width and height; None: all of it. `subjects` are the tracks that the gate
    depends on. `fit` and `bars`: how the take stands on the reel. `goes_on`: a join shows what lies beyond its edges;
    `goes_with_camera`: one goes where the camera goes; `surface`: one goes through that; `area`:
    one shows the other side by that; `films`: the takes that are pinned to it.
    """

    shot: Shot
    take: Take
    track: Track | None = None
    lender: Take | Motion | None = None
    shape: tuple[int, int] | None = None
    subjects: tuple[Track, ...] = ()
    fit: Fit = "fill"
    bars: str = "#000000"
    goes_on: bool = False
    goes_with_camera: bool = False
    surface: Track | None = None
    area: Area | None = None
    films: tuple[Take, ...] = ()

    @staticmethod
    def of(project: Project, shot: Shot, take: Take | None = None) -> "HoldRequest":
        """A shot of the project, or one like it with other settings; `take`, if it is known: the shot's."""
        take = take or project.take(shot.take_id)
        fit = project.reel.fit_of(shot)
        anchor = shot.hold.anchor if shot.hold.how == "anchor" else None
        track = next((each for each in take.tracks if anchor is not None and each.id == anchor.track_id), None)
        named = shot.gate().tracks
        joins = [shot.leave, arrives_by(project, shot.id) or Join()]
        shows = named_by(joins[0], "area", leaving=True) or named_by(joins[1], "area", leaving=False)
        through = named_by(joins[0], "surface", leaving=True) or named_by(joins[1], "surface", leaving=False)
        return HoldRequest(
            shot=shot,
            take=take,
            track=track,
            lender=_lender(project, shot),
            shape=shape_of(shot, project.reel.size, fit),
            fit=fit,
            bars=project.reel.bars,
            subjects=tuple(each for each in take.tracks if each.id in named),
            goes_on=any(goes_on(each) for each in joins),
            surface=next((each for each in take.tracks if each.id == through and each.kind == "surface"), None),
            area=next((each for each in take.areas if each.id == shows), None),
            goes_with_camera=any(goes_by_itself(each) for each in joins),
            films=tuple(project.take(each.of.take_id) for each in shot.pinned if isinstance(each.of, Film)),
        )

    @property
    def pinned(self) -> tuple[Pinned, ...]:
        """What stands in its scene."""
        return self.shot.pinned

    @property
    def moved(self) -> bool:
        """Whether the shot is shown otherwise than it was shot."""
        return self.hold.how != "none" or self.lent or not self.gate.rests

    @property
    def lent(self) -> bool:
        """Whether motion is put on it."""
        loan = self.shot.loan
        return loan is not None and (loan.lender == "rig" or self.lender is not None)

    @property
    def gate(self) -> Gate:
        """The gate of the reel that the shot is on."""
        return self.shot.gate()

    @property
    def needs_trace(self) -> bool:
        """Whether its path depends on how the camera moved."""
        zoom = self.gate.counter_zoom
        pushed = zoom is not None and zoom.track is None
        return self.hold.how != "none" or self.lent or pushed or bool(self.gate.scenic)

    @property
    def needs_course(self) -> bool:
        """Whether how its camera moved is asked for beside the path: for moments between frames, and for its join."""
        pace = self.shot.pace
        shutter = pace.shutter
        between = shutter.angle_deg > 0 or shutter.rush is not None or pace.made_between != "nearest"
        return between or self.goes_with_camera or bool(self.pinned)

    @property
    def spared(self) -> Track | None:
        """What the added blur spares, if that is followed."""
        sharp = self.shot.pace.shutter.sharp
        return next((each for each in self.take.tracks if sharp is not None and each.id == sharp.track), None)

    @property
    def spared_area(self) -> Area | None:
        """The area that added blur spares, if that is there."""
        sharp = self.shot.pace.shutter.sharp
        return next((each for each in self.take.areas if sharp is not None and each.id == sharp.area), None)

    @property
    def kept_out(self) -> Area | None:
        """The area that its edge may not borrow, if that is there."""
        hold = self.shot.hold
        named = hold.not_borrowed if hold.edge == "borrow" else None
        return next((each for each in self.take.areas if each.id == named), None)

    @property
    def hold(self) -> Hold:
        """What decides the path; an anchor whose track is gone holds nothing."""
        hold = self.shot.hold.path_part
        return hold.changed(how="none") if hold.how == "anchor" and self.track is None else hold

    @cached_property
    def key(self) -> Hashable:
        """What its held path depends on: shots alike in this have one path."""
        shot = self.shot
        lender: Hashable = self.lender.measured_as if isinstance(self.lender, Take) else None
        if isinstance(self.lender, Motion):
            lender = self.lender.id
        shape = None if self.shape is None else Fraction(*self.shape)
        gate = self.gate, self.subjects, shape, (shot.mirror, shot.turns) if self.gate.follows else None
        return self.take.measured_as, shot.span, shot.hold.path_part, self.track, shot.loan, lender, gate


def shape_of(shot: Shot, reel_size: tuple[int, int], fit: Fit) -> tuple[int, int] | None:
    """The shape of what a reel of a size shows of a shot's source; None: all of it, with something around."""
    if fit != "fill":
        return None
    width, height = reel_size
    return (height, width) if shot.turns % 2 else (width, height)


def _lender(project: Project, shot: Shot) -> Take | Motion | None:
    loan = shot.loan
    if loan is None or loan.lender == "rig":
        return None
    among: tuple[Take | Motion, ...] = project.takes if loan.lender == "take" else project.motions
    return next((each for each in among if each.id == loan.lender_id), None)
