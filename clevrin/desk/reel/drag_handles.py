"""Drags on the reel: what each of them does to the document, what it snaps to, and what it says of itself.

A drag is made from how the row was before it, at every step anew, so that all its steps are one.
"""

from collections.abc import Callable, Iterable
from dataclasses import dataclass

from clevrin.core.document import Project
from clevrin.core.document.edits import ChangeMarker, Edit, JoinShots, MoveShots, TrimShot
from clevrin.core.motion import Trace, Whip
from clevrin.core.pace import Placed, placed_shots
from clevrin.core.pace.timecode import timecode
from clevrin.core.sound.music_track import moved
from clevrin.desk.background.measurements import Measurements
from clevrin.desk.reel.knot import knot_between
from clevrin.desk.reel.layout import Hit, ReelLayout, slipped, trimmed
from clevrin.desk.reel.snapping import (
    Target,
    edge_targets,
    marker_targets,
    nearest,
    roll_targets,
    slip_targets,
)
from clevrin.desk.widgets import theme


@dataclass(frozen=True, kw_only=True)
class Pull:
    """How a drag stands: how far it went in frames of the reel, where the pointer is, what is held down."""

    by: float
    x: float
    slips: bool = False
    snaps: bool = True


@dataclass(frozen=True, kw_only=True)
class Outcome:
    """What a drag does: an edit at once, or a place to move to when it ends; and the words beside the pointer."""

    words: str
    edit: Edit | None = None
    insert_at: int | None = None
    snapped: str | None = None
    look_at: int | None = None


class Drag:
    """One drag from its start to its end."""

    def __init__(
        self,
        hit: Hit,
        project: Project,
        layout: ReelLayout,
        measurements: Measurements,
        chosen: Iterable[str],
        playhead: int,
    ) -> None:
        self._hit = hit
        self._project = project
        self._layout = layout
        self._measurements = measurements
        self._playhead = playhead
        ids = {placed.shot.id: index for index, placed in enumerate(layout.row)}
        group = {ids[shot_id] for shot_id in chosen if shot_id in ids}
        self.moved = frozenset(group if hit.index in group else {hit.index})

    def at(self, pull: Pull) -> Outcome:
        """What the drag does when it has come this far."""
        if self._hit.part in ("left edge", "right edge"):
            return self._trim(pull)
        if self._hit.part == "knot":
            return self._roll(pull)
        if self._hit.part == "marker":
            return self._move_marker(pull)
        if self._hit.part == "music":
            return self._move_music(pull)
        return self._slip(pull) if pull.slips else self._reorder(pull)

    def drop(self, outcome: Outcome) -> Edit | None:
        """The edit that a drag ends with, for those that make none on the way."""
        if outcome.insert_at is None:
            return None
        row = self._layout.row
        return MoveShots(shot_ids=tuple(row[index].shot.id for index in sorted(self.moved)), to=outcome.insert_at)

    def _trim(self, pull: Pull) -> Outcome:
        placed, rate, edge = self._layout.row[self._hit.index], self._project.reel.rate, self._hit.part
        by, snapped = self._snapped(pull, lambda: edge_targets(placed, edge, self._whips(placed), self._project))
        span = trimmed(placed, edge, by, rate)
        edit = TrimShot(shot_id=placed.shot.id, span=span)
        row = placed_shots(edit.apply(self._project))
        now = row[self._hit.index]
        words = f"frames {span.first} to {span.end - 1} · {float(now.frames / rate):.2f} s"
        cut = self._hit.index - 1 if edge == "left edge" else self._hit.index
        words += self._join_words(row, cut)
        look_at = now.start if edge == "left edge" else now.end - 1
        return Outcome(words=words, edit=edit, snapped=snapped, look_at=look_at)

    def _roll(self, pull: Pull) -> Outcome:
        before, after = self._layout.row[self._hit.index], self._layout.row[self._hit.index + 1]
        rate = self._project.reel.rate
        whips = self._whips(before), self._whips(after)
        by, snapped = self._snapped(pull, lambda: roll_targets(before, after, whips, self._project))
        outgoing = before.shot.changed(span=trimmed(before, "right edge", by, rate))
        incoming = after.shot.changed(span=trimmed(after, "left edge", by, rate))
        edit = JoinShots(outgoing=outgoing, incoming=incoming, label="Roll join")
        row = placed_shots(edit.apply(self._project))
        words = f"leaves at {outgoing.last_shown}, enters at {incoming.first_shown}"
        words += self._join_words(row, self._hit.index)
        return Outcome(words=words, edit=edit, snapped=snapped, look_at=row[self._hit.index].end - 1)

    def _slip(self, pull: Pull) -> Outcome:
        placed = self._layout.row[self._hit.index]
        by, snapped = self._snapped(
            pull, lambda: slip_targets(placed, self._whips(placed), self._project, self._playhead)
        )
        span = slipped(placed, by)
        edit = TrimShot(shot_id=placed.shot.id, span=span, label="Slip shot")
        words = f"slipped to frames {span.first} to {span.end - 1} of {placed.take.facts.frames}"
        return Outcome(words=words, edit=edit, snapped=snapped, look_at=placed.start)

    def _reorder(self, pull: Pull) -> Outcome:
        if len(self._layout.row) <= len(self.moved):
            return Outcome(words="")
        to = self._layout.place_for(pull.x, self.moved)
        count = len(self.moved)
        words = f"to place {to + 1}" if count == 1 else f"{count} shots to place {to + 1}"
        return Outcome(words=words, insert_at=to)

    def _move_marker(self, pull: Pull) -> Outcome:
        marker = self._project.reel.markers[self._hit.index]
        row = self._layout.row
        whips = {placed.take.id: self._whips(placed) for placed in row}
        by, snapped = self._snapped(pull, lambda: marker_targets(marker.frame, row, whips))
        frame = max(0, marker.frame + round(by))
        edit = ChangeMarker(marker=marker.changed(frame=frame), label=f"Move {marker.kind}")
        words = f"{marker.kind} at frame {frame} · {timecode(frame, float(self._project.reel.rate))}"
        return Outcome(words=words, edit=edit, snapped=snapped)

    def _move_music(self, pull: Pull) -> Outcome:
        music = self._project.music
        assert music is not None
        begins = music.start_s * float(self._project.reel.rate)
        by, snapped = self._snapped(pull, lambda: [Target(by=-begins, words="the reel's start")])
        edit = moved(self._project, round(by))
        start_s = edit.music.start_s if edit.music is not None else 0.0
        return Outcome(words=f"music begins at {start_s:.2f} s", edit=edit, snapped=snapped)

    def _snapped(self, pull: Pull, targets: Callable[[], Iterable[Target]]) -> tuple[float, str | None]:
        found = nearest(targets(), pull.by, self._layout.px_per_frame) if pull.snaps else None
        return (found.by, found.words) if found is not None else (pull.by, None)

    def _whips(self, placed: Placed) -> tuple[Whip, ...]:
        return self._measurements.whips(placed.take)

    def _join_words(self, row: tuple[Placed, ...], index: int) -> str:
        """What the join by which a shot of a row leaves would be; nothing where it has none."""
        if not 0 <= index < len(row) - 1:
            return ""
        before, after = row[index], row[index + 1]
        return join_words(before, after, self._measurements.trace(before.take), self._measurements.trace(after.take))


def join_words(before: Placed, after: Placed, leaving: Trace | None, arriving: Trace | None) -> str:
    """How two shots would meet, in words: directions and how well they agree; nothing where neither moves."""
    knot = knot_between(before, after, leaving, arriving)
    if leaving is None or arriving is None:
        return " · join not measured"
    if knot.leaving_deg is None and knot.arriving_deg is None:
        return " · both sides calm"
    out, in_ = (theme.direction_arrow(a) if a is not None else "still" for a in (knot.leaving_deg, knot.arriving_deg))
    return f" · join {out} into {in_}, {round(100 * (1 - knot.mismatch))} % agree"
