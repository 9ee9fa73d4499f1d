"""A shot with all of the document that its held path depends on."""

from collections.abc import Hashable
from dataclasses import dataclass
from functools import cached_property

from clevrin.core.document import Hold, Motion, Project, Shot, Take, Track


@dataclass(frozen=True, kw_only=True)
class HoldRequest:
    """A shot, its take, the track that it is anchored to, and the take or motion that lends it motion.

    `track` and `lender` are None where there is none, and where what the shot names is gone.
    """

    shot: Shot
    take: Take
    track: Track | None = None
    lender: Take | Motion | None = None

    @staticmethod
    def of(project: Project, shot: Shot) -> "HoldRequest":
        """A shot of the project, or one like it with other settings."""
        take = project.take(shot.take_id)
        anchor = shot.hold.anchor if shot.hold.how == "anchor" else None
        track = next((each for each in take.tracks if anchor is not None and each.id == anchor.track_id), None)
        return HoldRequest(shot=shot, take=take, track=track, lender=_lender(project, shot))

    @property
    def moved(self) -> bool:
        """Whether the shot is shown otherwise than it was shot."""
        return self.hold.how != "none" or self.lent

    @property
    def lent(self) -> bool:
        """Whether motion is put on it."""
        loan = self.shot.loan
        return loan is not None and (loan.lender == "rig" or self.lender is not None)

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
        return self.take.measured_as, shot.span, shot.hold.path_part, self.track, shot.loan, lender


def _lender(project: Project, shot: Shot) -> Take | Motion | None:
    loan = shot.loan
    if loan is None or loan.lender == "rig":
        return None
    among: tuple[Take | Motion, ...] = project.takes if loan.lender == "take" else project.motions
    return next((each for each in among if each.id == loan.lender_id), None)
