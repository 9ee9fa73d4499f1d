"""Edits of shots: on the reel and off it, their order, their frames, their settings and joins."""

from dataclasses import dataclass

from clevrin.core.document.edits.edit import counted, each_shot, present_shots, with_shot, with_shots, with_take
from clevrin.core.document.gating import Gate
from clevrin.core.document.holding import Hold
from clevrin.core.document.loans import Loan, Motion
from clevrin.core.document.model import Fit, Join, Mirror, Project, Shot, Turns
from clevrin.core.document.pacing import Pace
from clevrin.core.document.sounding import ShotSound
from clevrin.core.document.span import Span
from clevrin.core.document.tracks import Track
from clevrin.core.document.value import new_id


@dataclass(frozen=True, kw_only=True)
class InsertShots:
    """Puts shots on the reel at a place (None: at the end)."""

    shots: tuple[Shot, ...]
    at: int | None = None
    label: str = "Put on the reel"

    def apply(self, project: Project) -> Project:
        shots = list(project.reel.shots)
        at = len(shots) if self.at is None else self.at
        return with_shots(project, [*shots[:at], *self.shots, *shots[at:]])


@dataclass(frozen=True, kw_only=True)
class RemoveShots:
    """Takes shots off the reel; the gaps close."""

    shot_ids: tuple[str, ...]

    @property
    def label(self) -> str:
        return counted("Remove", len(self.shot_ids), "shot")

    def apply(self, project: Project) -> Project:
        gone = present_shots(project, self.shot_ids)
        return with_shots(project, [shot for shot in project.reel.shots if shot.id not in gone])


@dataclass(frozen=True, kw_only=True)
class MoveShots:
    """Moves shots, in the order in which they stand, to a place among the others."""

    shot_ids: tuple[str, ...]
    to: int

    @property
    def label(self) -> str:
        return counted("Move", len(self.shot_ids), "shot")

    def apply(self, project: Project) -> Project:
        moved = present_shots(project, self.shot_ids)
        others = [shot for shot in project.reel.shots if shot.id not in moved]
        group = [shot for shot in project.reel.shots if shot.id in moved]
        return with_shots(project, [*others[: self.to], *group, *others[self.to :]])


@dataclass(frozen=True, kw_only=True)
class DuplicateShots:
    """Puts copies of shots behind the last of them. `new_ids`: ids of the copies, in the order of the reel."""

    shot_ids: tuple[str, ...]
    new_ids: tuple[str, ...]

    @property
    def label(self) -> str:
        return counted("Duplicate", len(self.shot_ids), "shot")

    def apply(self, project: Project) -> Project:
        chosen = present_shots(project, self.shot_ids)
        shots = list(project.reel.shots)
        group = [shot for shot in shots if shot.id in chosen]
        copies = [shot.changed(id=new) for shot, new in zip(group, self.new_ids, strict=True)]
        after = max(index for index, shot in enumerate(shots) if shot.id in chosen) + 1
        return with_shots(project, [*shots[:after], *copies, *shots[after:]])


@dataclass(frozen=True, kw_only=True)
class SplitShot:
    """Makes two shots of one. `at` is the frame of the take with which the later one in the take begins."""

    shot_id: str
    at: int
    new_id: str
    label: str = "Split shot"

    def apply(self, project: Project) -> Project:
        index = project.shot_index(self.shot_id)
        shot = project.reel.shots[index]
        if not shot.span.first < self.at < shot.span.end:
            raise ValueError("a shot is split between two of its frames.")
        parts = [Span(first=shot.span.first, end=self.at), Span(first=self.at, end=shot.span.end)]
        if shot.reverse:
            parts.reverse()
        free = shot.pace.changed(length_frames=None)  # the length that was kept was that of the whole
        comes, goes = shot.sound.changed(fade_out=0), shot.sound.changed(fade_in=0)
        first = shot.changed(span=parts[0], leave=Join(), pace=free, sound=comes)
        second = shot.changed(id=self.new_id, span=parts[1], pace=free, sound=goes)
        shots = project.reel.shots
        return with_shots(project, [*shots[:index], first, second, *shots[index + 1 :]])


@dataclass(frozen=True, kw_only=True)
class TrimShot:
    """Changes which frames of its take a shot shows."""

    shot_id: str
    span: Span
    label: str = "Trim shot"

    def apply(self, project: Project) -> Project:
        return with_shot(project, project.shot(self.shot_id).changed(span=self.span))


@dataclass(frozen=True, kw_only=True)
class SetHold:
    """Changes how a shot is steadied."""

    shot_id: str
    hold: Hold
    label: str = "Steady shot"

    def apply(self, project: Project) -> Project:
        return with_shot(project, project.shot(self.shot_id).changed(hold=self.hold))


@dataclass(frozen=True, kw_only=True)
class SetShotSounds:
    """Changes how loud shots' own sounds are, and how they come and go; each by the id of its shot."""

    sounds: tuple[tuple[str, ShotSound], ...]
    label: str = "Change sound"

    def apply(self, project: Project) -> Project:
        sounds = dict(self.sounds)
        return each_shot(project, sounds, lambda shot: shot.changed(sound=sounds[shot.id]))


@dataclass(frozen=True, kw_only=True)
class SteadyShots:
    """Gives each of several shots a hold of its own."""

    holds: tuple[tuple[str, Hold], ...]

    @property
    def label(self) -> str:
        return counted("Steady", len(self.holds), "shot")

    def apply(self, project: Project) -> Project:
        holds = dict(self.holds)
        return each_shot(project, tuple(holds), lambda shot: shot.changed(hold=holds[shot.id]))


@dataclass(frozen=True, kw_only=True)
class SetLoan:
    """Puts motion on a shot, or takes it off (None); `motion` is kept with the project if it is new."""

    shot_id: str
    loan: Loan | None
    motion: Motion | None = None

    @property
    def label(self) -> str:
        return "Take lent motion off" if self.loan is None else "Lend motion"

    def apply(self, project: Project) -> Project:
        if self.motion is not None:
            project = project.changed(motions=(*project.motions, self.motion))
        return with_shot(project, project.shot(self.shot_id).changed(loan=self.loan))


@dataclass(frozen=True, kw_only=True)
class SetGate:
    """Changes how the gate of an output goes over a shot; `track`, if it is new, is followed in the shot's take."""

    shot_id: str
    gate: Gate
    track: Track | None = None
    label: str = "Reframe shot"

    def apply(self, project: Project) -> Project:
        project.output(self.gate.output)
        shot = project.shot(self.shot_id)
        if self.track is not None:
            take = project.take(shot.take_id)
            project = with_take(project, take.changed(tracks=(*take.tracks, self.track)))
        return with_shot(project, shot.with_gate(self.gate))


@dataclass(frozen=True, kw_only=True)
class PaceShots:
    """Changes how fast shots play: the pace of each by its id."""

    paces: tuple[tuple[str, Pace], ...]
    label: str = "Pace shot"

    def apply(self, project: Project) -> Project:
        paces = dict(self.paces)
        return each_shot(project, tuple(paces), lambda shot: shot.changed(pace=paces[shot.id]))


@dataclass(frozen=True, kw_only=True)
class SetLeaves:
    """Changes how shots pass into their next ones: the join of each by its id."""

    leaves: tuple[tuple[str, Join], ...]
    label: str = "Change joins"

    def apply(self, project: Project) -> Project:
        leaves = dict(self.leaves)
        return each_shot(project, tuple(leaves), lambda shot: shot.changed(leave=leaves[shot.id]))


@dataclass(frozen=True, kw_only=True)
class MirrorShots:
    """Mirrors shots, or takes the mirroring back."""

    shot_ids: tuple[str, ...]
    mirror: Mirror

    @property
    def label(self) -> str:
        return counted("Mirror", len(self.shot_ids), "shot")

    def apply(self, project: Project) -> Project:
        return each_shot(project, self.shot_ids, lambda shot: shot.changed(mirror=self.mirror))


@dataclass(frozen=True, kw_only=True)
class TurnShots:
    """Turns shots by quarters, anticlockwise as seen."""

    shot_ids: tuple[str, ...]
    turns: Turns
    label: str = "Turn picture"

    def apply(self, project: Project) -> Project:
        return each_shot(project, self.shot_ids, lambda shot: shot.changed(turns=self.turns))


@dataclass(frozen=True, kw_only=True)
class FitShots:
    """Says how shots of another shape stand on the reel; None: as the reel says."""

    shot_ids: tuple[str, ...]
    fit: Fit | None
    label: str = "Fit picture"

    def apply(self, project: Project) -> Project:
        return each_shot(project, self.shot_ids, lambda shot: shot.changed(fit=self.fit))


@dataclass(frozen=True, kw_only=True)
class ReverseShots:
    """Plays shots backward, or forward again."""

    shot_ids: tuple[str, ...]
    reverse: bool

    @property
    def label(self) -> str:
        return counted("Reverse", len(self.shot_ids), "shot")

    def apply(self, project: Project) -> Project:
        return each_shot(project, self.shot_ids, lambda shot: shot.played(reverse=self.reverse))


@dataclass(frozen=True, kw_only=True)
class PasteSettings:
    """Gives shots the steady and mirror settings of another one, which is of the take `take_id`."""

    shot_ids: tuple[str, ...]
    take_id: str
    hold: Hold
    mirror: Mirror
    label: str = "Paste settings"

    def apply(self, project: Project) -> Project:
        def pasted(shot: Shot) -> Shot:
            hold = self.hold if shot.take_id == self.take_id else self.hold.for_another_take
            return shot.changed(hold=hold, mirror=self.mirror)

        return each_shot(project, self.shot_ids, pasted)


@dataclass(frozen=True, kw_only=True)
class JoinShots:
    """Cuts from one shot into the next at a matched pair of frames.

    `outgoing` and `incoming` are the two shots as they are after the join; both must be on the reel.
    """

    outgoing: Shot
    incoming: Shot
    label: str = "Join shots"

    def apply(self, project: Project) -> Project:
        return with_shot(with_shot(project, self.outgoing), self.incoming)


@dataclass(frozen=True, kw_only=True)
class FollowShot:
    """Puts a shot behind one that is on the reel; `outgoing` is that one as it is after the join."""

    outgoing: Shot
    incoming: Shot
    label: str = "Let it follow"

    def apply(self, project: Project) -> Project:
        at = project.shot_index(self.outgoing.id) + 1
        shots = with_shot(project, self.outgoing).reel.shots
        return with_shots(project, [*shots[:at], self.incoming, *shots[at:]])


def duplicate(shot_ids: tuple[str, ...]) -> DuplicateShots:
    """The edit that duplicates shots, with fresh ids for the copies."""
    return DuplicateShots(shot_ids=shot_ids, new_ids=tuple(new_id() for _ in shot_ids))
