"""Edits of the project's name, the reel's size and rate, and its markers."""

from dataclasses import dataclass
from fractions import Fraction

from clevrin.core.document.edits.edit import each_shot
from clevrin.core.document.gating import Gate, Output
from clevrin.core.document.loans import Motion, Over
from clevrin.core.document.model import Fit, Light, Marker, Meant, Project
from clevrin.core.document.music import Music
from clevrin.core.document.sounding import Mix


@dataclass(frozen=True, kw_only=True)
class Rename:
    """Names the project."""

    name: str
    label: str = "Rename project"

    def apply(self, project: Project) -> Project:
        return project.changed(name=self.name)


@dataclass(frozen=True, kw_only=True)
class SetMeant:
    """Says of which kinds all that comes of choices is as it is meant."""

    meant: tuple[Meant, ...]

    @property
    def label(self) -> str:
        return "Confirm what is meant" if self.meant else "List what is meant"

    def apply(self, project: Project) -> Project:
        return project.changed(meant=self.meant)


@dataclass(frozen=True, kw_only=True)
class SetReel:
    """Gives the reel another size, rate and light (None: as it is); markers stay at their instants."""

    rate: Fraction
    width: int
    height: int
    light: Light | None = None
    label: str = "Change the reel's size and rate"

    def apply(self, project: Project) -> Project:
        reel = project.reel
        markers = tuple(m.changed(frame=round(m.frame * self.rate / reel.rate)) for m in reel.markers)
        over = tuple(_at_rate(each, self.rate / reel.rate) for each in reel.over)
        size = {"width": self.width, "height": self.height}
        changed = reel.changed(rate=self.rate, **size, markers=markers, over=over, light=self.light or reel.light)
        return project.changed(reel=changed)


def _at_rate(over: Over, times: Fraction) -> Over:
    """Motion over the reel at the instants at which it was, on a reel of so many times the rate."""
    first, end = round(over.first * times), round(over.end * times)
    return over.changed(first=first, frames=max(1, end - first), ease=min(1000, round(over.ease * times)))


@dataclass(frozen=True, kw_only=True)
class FitReel:
    """Says how takes of another shape stand on the reel, and which colour bars have (None: as it is)."""

    fit: Fit
    bars: str | None = None
    label: str = "Fit pictures"

    def apply(self, project: Project) -> Project:
        reel = project.reel
        return project.changed(reel=reel.changed(fit=self.fit, bars=self.bars or reel.bars))


@dataclass(frozen=True, kw_only=True)
class AddOutput:
    """Adds a shape in which the reel is rendered beside its own; `gates`: what shots have at first, by their ids."""

    output: Output
    gates: tuple[tuple[str, Gate], ...] = ()
    label: str = "Add output"

    def apply(self, project: Project) -> Project:
        gates = dict(self.gates)
        project = project.changed(outputs=(*project.outputs, self.output))
        return each_shot(
            project, tuple(gates), lambda shot: shot.with_gate(gates[shot.id].changed(output=self.output.id))
        )


@dataclass(frozen=True, kw_only=True)
class ChangeOutput:
    """Renames an output, or gives it another size; the poses of its gates stay as they are."""

    output: Output
    label: str = "Change output"

    def apply(self, project: Project) -> Project:
        project.output(self.output.id)
        changed = tuple(self.output if each.id == self.output.id else each for each in project.outputs)
        return project.changed(outputs=changed)


@dataclass(frozen=True, kw_only=True)
class RemoveOutput:
    """Takes an output away, and the gates that shots have for it."""

    output_id: str
    label: str = "Remove output"

    def apply(self, project: Project) -> Project:
        project.output(self.output_id)
        resting = Gate(output=self.output_id)
        given = [shot.id for shot in project.reel.shots if any(gate.output == self.output_id for gate in shot.gates)]
        rest = tuple(each for each in project.outputs if each.id != self.output_id)
        return each_shot(project, given, lambda shot: shot.with_gate(resting)).changed(outputs=rest)


@dataclass(frozen=True, kw_only=True)
class AddMarker:
    """Marks an instant of the reel."""

    marker: Marker

    @property
    def label(self) -> str:
        return f"Set {self.marker.kind}"

    def apply(self, project: Project) -> Project:
        return _with_markers(project, (*project.reel.markers, self.marker))


@dataclass(frozen=True, kw_only=True)
class SetBeats:
    """Marks beats on the reel, in the place of those that were there; markers stay."""

    beats: tuple[Marker, ...]
    label: str = "Set beats"

    def apply(self, project: Project) -> Project:
        markers = [marker for marker in project.reel.markers if marker.kind != "beat"]
        return _with_markers(project, (*markers, *self.beats))


@dataclass(frozen=True, kw_only=True)
class LayMusic:
    """Lays music under the reel in the place of what was there, or takes it away (None).

    `beats` replace those of the reel; None: they stay.
    """

    music: Music | None
    beats: tuple[Marker, ...] | None = None
    label: str = "Lay music"

    def apply(self, project: Project) -> Project:
        changed = project if self.beats is None else SetBeats(beats=self.beats).apply(project)
        return changed.changed(music=self.music)


@dataclass(frozen=True, kw_only=True)
class SetMix:
    """Changes how loud the lanes of sound are."""

    mix: Mix
    label: str = "Change sound"

    def apply(self, project: Project) -> Project:
        return project.changed(mix=self.mix)


@dataclass(frozen=True, kw_only=True)
class LayOver:
    """Lays motions over stretches of the reel, in the place of all that were there; `motion`, if it is new, is kept."""

    over: tuple[Over, ...]
    motion: Motion | None = None
    label: str = "Motion over the reel"

    def apply(self, project: Project) -> Project:
        if self.motion is not None and self.motion not in project.motions:
            project = project.changed(motions=(*project.motions, self.motion))
        return project.changed(reel=project.reel.changed(over=self.over))


@dataclass(frozen=True, kw_only=True)
class ChangeMarker:
    """Moves or names a marker."""

    marker: Marker
    label: str = "Change marker"

    def apply(self, project: Project) -> Project:
        return _with_markers(project, (*_without(project, self.marker.id), self.marker))


@dataclass(frozen=True, kw_only=True)
class RemoveMarker:
    """Takes a marker away."""

    marker_id: str
    label: str = "Remove marker"

    def apply(self, project: Project) -> Project:
        return _with_markers(project, _without(project, self.marker_id))


def _without(project: Project, marker_id: str) -> tuple[Marker, ...]:
    rest = tuple(m for m in project.reel.markers if m.id != marker_id)
    if len(rest) == len(project.reel.markers):
        raise KeyError(marker_id)
    return rest


def _with_markers(project: Project, markers: tuple[Marker, ...]) -> Project:
    in_order = tuple(sorted(markers, key=lambda m: (m.frame, m.id)))
    return project.changed(reel=project.reel.changed(markers=in_order))
