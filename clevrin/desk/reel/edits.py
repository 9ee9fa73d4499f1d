"""What keys and menu entries do to the reel: split, duplicate, trim at the playhead, settings, markers."""

from clevrin.core.document import Join, Marker, Shot, Span
from clevrin.core.document.edits import (
    AddMarker,
    Edit,
    MirrorShots,
    PasteSettings,
    RemoveMarker,
    RemoveShots,
    ReverseShots,
    SetLeaves,
    SplitShot,
    TrimShot,
    duplicate,
)
from clevrin.core.document.model import MarkerKind, Mirror, new_id
from clevrin.core.pace import Placed, nominal_frame, shot_at
from clevrin.desk.state.session import Session

_MIRRORED: dict[Mirror, Mirror] = {None: "horizontal", "horizontal": None, "vertical": "both", "both": "vertical"}


class ReelEdits:
    """Edits of the chosen shots, or of the shot under the playhead; where there is nothing to do, they say why."""

    def __init__(self, session: Session) -> None:
        self._session = session
        self._copied: Shot | None = None
        self._copied_join: Join | None = None

    @property
    def has_copied(self) -> bool:
        return self._copied is not None

    def remove(self) -> None:
        if self._session.shot_ids:
            self._session.do(RemoveShots(shot_ids=self._session.shot_ids))

    def duplicate(self) -> None:
        if self._session.shot_ids:
            edit = duplicate(self._session.shot_ids)
            if self._session.do(edit):
                self._session.choose_shots(edit.new_ids)

    def split(self) -> None:
        """Makes two shots of the one under the playhead; the second begins with the frame that is looked at."""
        placed, frame = self._under_playhead()
        if placed is None:
            return
        at = frame + 1 if placed.shot.reverse else frame
        span = placed.shot.span
        if not span.first < at < span.end:
            self._session.trouble.emit("The playhead stands at a cut: there is nothing to split here.")
            return
        edit = SplitShot(shot_id=placed.shot.id, at=at, new_id=new_id())
        if self._session.do(edit):
            self._session.choose_shot(edit.new_id)

    def remove_before(self) -> None:
        """The shot under the playhead begins with the frame that is looked at."""
        placed, frame = self._under_playhead()
        if placed is None:
            return
        span = placed.shot.span
        kept = Span(first=span.first, end=frame + 1) if placed.shot.reverse else Span(first=frame, end=span.end)
        if self._trim(placed, kept, "Remove before the playhead"):
            self._session.move_playhead(placed.start)

    def remove_after(self) -> None:
        """The shot under the playhead ends with the frame that is looked at."""
        placed, frame = self._under_playhead()
        if placed is None:
            return
        span = placed.shot.span
        kept = Span(first=frame, end=span.end) if placed.shot.reverse else Span(first=span.first, end=frame + 1)
        self._trim(placed, kept, "Remove after the playhead")

    def mirror(self) -> None:
        """Mirrors the chosen shots from left to right, as the last one chosen then is."""
        shot = self._session.shot
        if shot is not None:
            self._session.do(MirrorShots(shot_ids=self._session.shot_ids, mirror=_MIRRORED[shot.mirror]))

    def reverse(self) -> None:
        shot = self._session.shot
        if shot is not None:
            self._session.do(ReverseShots(shot_ids=self._session.shot_ids, reverse=not shot.reverse))

    def copy_settings(self) -> None:
        shot = self._session.shot
        if shot is not None:
            self._copied = shot

    def paste_settings(self) -> None:
        if self._copied is not None and self._session.shot_ids:
            given, chosen = self._copied, self._session.shot_ids
            edit = PasteSettings(shot_ids=chosen, take_id=given.take_id, hold=given.hold, mirror=given.mirror)
            self._session.do(edit)

    def copy_join(self) -> None:
        """The join by which the chosen shot leaves."""
        shot = self._session.shot
        if shot is not None:
            self._copied_join = shot.leave

    def paste_join(self) -> None:
        """Gives it to all chosen shots that another one follows; a whip cut stays one only where it lies."""
        join, shots = self._copied_join, self._session.project.reel.shots[:-1]
        chosen = [shot.id for shot in shots if shot.id in self._session.shot_ids]
        if join is not None and chosen:
            self._session.do(SetLeaves(leaves=tuple((id, join) for id in chosen), label="Paste join"))

    @property
    def has_copied_join(self) -> bool:
        return self._copied_join is not None

    def choose_all(self) -> None:
        self._session.choose_shots(shot.id for shot in self._session.project.reel.shots)

    def mark(self, kind: MarkerKind) -> None:
        """Sets a marker or a beat at the playhead; a second one of a kind at the same frame is not set."""
        session = self._session
        there = {(marker.frame, marker.kind) for marker in session.project.reel.markers}
        if session.project.reel.shots and (session.playhead, kind) not in there:
            session.do(AddMarker(marker=Marker(frame=session.playhead, kind=kind)))

    def remove_marker(self) -> None:
        """Takes away the marker that is next to the playhead."""
        session = self._session
        markers = session.project.reel.markers
        if markers:
            nearest = min(markers, key=lambda marker: abs(marker.frame - session.playhead))
            session.do(RemoveMarker(marker_id=nearest.id, label=f"Remove {nearest.kind}"))

    def _under_playhead(self) -> tuple[Placed | None, int]:
        """The shot under the playhead, and the frame of its take that is shown there."""
        session = self._session
        placed = shot_at(session.project, session.playhead)
        if placed is None:
            return None, 0
        return placed, nominal_frame(placed, session.playhead)

    def _trim(self, placed: Placed, span: Span, label: str) -> bool:
        edit: Edit = TrimShot(shot_id=placed.shot.id, span=span, label=label)
        return self._session.do(edit)
