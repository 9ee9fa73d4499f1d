"""What is done to one shot, done to others as well: each gets what changed, and keeps what is its own."""

from dataclasses import dataclass
from typing import TypeVar

from clevrin.core.document.edits.edit import Edit, each_shot
from clevrin.core.document.model import Project, Shot
from clevrin.core.document.pacing import Pace
from clevrin.core.document.value import Value

V = TypeVar("V", bound=Value)

_ITS_OWN = frozenset(
    {"id", "take_id", "span", "pinned", "anchor", "reference", "spared", "not_borrowed", "sharp", "points", "output"}
    | {"poses", "follows", "level_deg", "track", "length_frames", "lender", "lender_id"}
)
"""Fields that name frames, places or things of one take."""


@dataclass(frozen=True, kw_only=True)
class Alike:
    """Carries out an edit of one shot, and gives `others` what it changed in that one."""

    edit: Edit
    lead: str
    others: tuple[str, ...]

    @property
    def label(self) -> str:
        return f"{self.edit.label} of {len(self.others) + 1} shots"

    def apply(self, project: Project) -> Project:
        before = project.shot(self.lead)
        project = self.edit.apply(project)
        after = project.shot(self.lead)
        return each_shot(project, self.others, lambda shot: carried_over(before, after, shot))


def carried_over(before: Shot, after: Shot, other: Shot) -> Shot:
    """Another shot with what was changed in one: settings, but no frames, places or things of that one's take.

    One speed throughout is a setting; speeds that change are at frames of a take.
    """
    made = _carried(before, after, other, without=("gates", "pace"))
    pace = _carried(before.pace, after.pace, other.pace)
    if before.pace.points != after.pace.points:
        pace = _at_one_speed(after.pace, pace, other)
    made = made.changed(pace=pace)
    for output in {gate.output for gate in (*before.gates, *after.gates)}:
        made = made.with_gate(_carried(before.gate(output), after.gate(output), made.gate(output)))
    return made


def _at_one_speed(after: Pace, pace: Pace, other: Shot) -> Pace:
    speeds = {point.speed for point in after.points}
    if len(speeds) > 1 or speeds == {0.0} or pace.length_frames is not None:
        return pace
    points = tuple(point.changed(frame=other.first_shown) for point in after.points[:1])
    return pace.changed(points=points)


def _carried(before: V, after: V, other: V, without: tuple[str, ...] = ()) -> V:
    return other.changed(**_changes(before, after, other, frozenset(without)))


def _changes(before: Value, after: Value, other: Value, without: frozenset[str] = frozenset()) -> dict[str, object]:
    """The fields of another value that are to be as in `after`, where that is not as in `before`."""
    found: dict[str, object] = {}
    for name in type(after).model_fields:
        was, now, there = (getattr(each, name) for each in (before, after, other))
        if was == now or name in _ITS_OWN or name in without:
            continue
        if isinstance(now, Value) and isinstance(was, Value):
            if type(there) is type(now):
                found[name] = there.changed(**_changes(was, now, there))
            elif there is not None:
                found[name] = now
        else:
            found[name] = now
    return found
