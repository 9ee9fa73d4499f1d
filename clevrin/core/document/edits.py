"""Edits: values that say what the user does, with the words the Undo menu shows and a pure `apply`."""

from dataclasses import dataclass
from typing import Protocol

from clevrin.core.document.model import Hold, Join, Mirror, Project, Shot, Span, Take


class Edit(Protocol):
    """A change of the document. `apply` is pure; it raises `KeyError` for an id that is not there."""

    @property
    def label(self) -> str:
        """Words for the Undo menu."""

    def apply(self, project: Project) -> Project: ...


@dataclass(frozen=True, kw_only=True)
class AddTakes:
    """Brings takes into the project; the first one gives an empty reel its size and rate."""

    takes: tuple[Take, ...]

    @property
    def label(self) -> str:
        return f"Add {self.takes[0].name}" if len(self.takes) == 1 else f"Add {len(self.takes)} takes"

    def apply(self, project: Project) -> Project:
        reel = project.reel
        if not project.takes and not reel.shots and self.takes:
            facts = self.takes[0].facts
            reel = reel.changed(
                rate=facts.rate, width=max(2, facts.width // 2 * 2), height=max(2, facts.height // 2 * 2)
            )
        return project.changed(takes=(*project.takes, *self.takes), reel=reel)


@dataclass(frozen=True, kw_only=True)
class RemoveTake:
    """Takes a take out of the project, with its shots."""

    take_id: str
    label: str = "Remove take"

    def apply(self, project: Project) -> Project:
        project.take(self.take_id)
        shots = tuple(shot for shot in project.reel.shots if shot.take_id != self.take_id)
        takes = tuple(take for take in project.takes if take.id != self.take_id)
        return project.changed(takes=takes, reel=project.reel.changed(shots=shots))


@dataclass(frozen=True, kw_only=True)
class ChooseSpan:
    """Chooses the usable span of a take."""

    take_id: str
    span: Span
    label: str = "Choose span"

    def apply(self, project: Project) -> Project:
        chosen = project.take(self.take_id).changed(chosen=self.span)
        return project.changed(takes=tuple(chosen if t.id == self.take_id else t for t in project.takes))


@dataclass(frozen=True, kw_only=True)
class InsertShot:
    """Puts a shot on the reel at a place (None: at the end)."""

    shot: Shot
    at: int | None = None
    label: str = "Put on the reel"

    def apply(self, project: Project) -> Project:
        shots = list(project.reel.shots)
        shots.insert(len(shots) if self.at is None else self.at, self.shot)
        return project.changed(reel=project.reel.changed(shots=tuple(shots)))


@dataclass(frozen=True, kw_only=True)
class RemoveShot:
    """Takes a shot off the reel; the gap closes."""

    shot_id: str
    label: str = "Remove shot"

    def apply(self, project: Project) -> Project:
        project.shot(self.shot_id)
        shots = tuple(shot for shot in project.reel.shots if shot.id != self.shot_id)
        return project.changed(reel=project.reel.changed(shots=shots))


@dataclass(frozen=True, kw_only=True)
class MoveShot:
    """Moves a shot to another place on the reel."""

    shot_id: str
    to: int
    label: str = "Move shot"

    def apply(self, project: Project) -> Project:
        shots = list(project.reel.shots)
        shots.insert(self.to, shots.pop(project.shot_index(self.shot_id)))
        return project.changed(reel=project.reel.changed(shots=tuple(shots)))


@dataclass(frozen=True, kw_only=True)
class TrimShot:
    """Changes which frames of its take a shot shows."""

    shot_id: str
    span: Span
    label: str = "Trim shot"

    def apply(self, project: Project) -> Project:
        return _with_shot(project, project.shot(self.shot_id).changed(span=self.span))


@dataclass(frozen=True, kw_only=True)
class SetHold:
    """Changes how a shot is steadied."""

    shot_id: str
    hold: Hold
    label: str = "Steady shot"

    def apply(self, project: Project) -> Project:
        return _with_shot(project, project.shot(self.shot_id).changed(hold=self.hold))


@dataclass(frozen=True, kw_only=True)
class SetLeave:
    """Changes how a shot passes into the next one."""

    shot_id: str
    leave: Join
    label: str = "Change join"

    def apply(self, project: Project) -> Project:
        return _with_shot(project, project.shot(self.shot_id).changed(leave=self.leave))


@dataclass(frozen=True, kw_only=True)
class MirrorShot:
    """Mirrors a shot, or takes the mirroring back."""

    shot_id: str
    mirror: Mirror
    label: str = "Mirror shot"

    def apply(self, project: Project) -> Project:
        return _with_shot(project, project.shot(self.shot_id).changed(mirror=self.mirror))


@dataclass(frozen=True, kw_only=True)
class JoinShots:
    """Cuts from one shot into the next at a matched pair of frames.

    `outgoing` and `incoming` are the two shots as they are after the join; both must be on the reel.
    """

    outgoing: Shot
    incoming: Shot
    label: str = "Join shots"

    def apply(self, project: Project) -> Project:
        return _with_shot(_with_shot(project, self.outgoing), self.incoming)


@dataclass(frozen=True, kw_only=True)
class Rename:
    """Names the project."""

    name: str
    label: str = "Rename project"

    def apply(self, project: Project) -> Project:
        return project.changed(name=self.name)


def _with_shot(project: Project, shot: Shot) -> Project:
    index = project.shot_index(shot.id)
    shots = (*project.reel.shots[:index], shot, *project.reel.shots[index + 1 :])
    return project.changed(reel=project.reel.changed(shots=shots))
