"""What is drawn over a take's picture and dragged there: vectors, points and surfaces, areas left out."""

from dataclasses import dataclass
from pathlib import Path
from typing import Literal

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QObject, QPointF, QRect, Qt, Signal
from PySide6.QtGui import QPainter

from clevrin.core.document import LeftOut, Placement, Pointed, Take, Track
from clevrin.core.document.edits import AddTrack, ChangeTrack, PlaceTrack, PointAt, RemoveTrack, SetLeftOut
from clevrin.core.motion.matching.working_picture import Area
from clevrin.core.motion.measuring.left_out import CarriedArea, carried_area
from clevrin.core.motion.trace.trace import Trace
from clevrin.core.motion.tracks.both_ways import Followed
from clevrin.core.motion.tracks.track_csv import read_track, track_csv
from clevrin.desk.bench.context import Context
from clevrin.desk.marks import painting
from clevrin.desk.marks.seen_track import SeenTrack
from clevrin.desk.widgets.viewer import Viewer

Mode = Literal["look", "point", "surface", "area", "standing"]
Places = NDArray[np.float64]

POINTED = "what stands still"
"""The mark that says on what the trace is to follow: a take has one at most."""
_NEAR_PX = 12.0
_LEAST_DRAG_PX = 8.0


@dataclass(kw_only=True)
class _Drag:
    """What is being dragged: a new rectangle or point (`seen` None), a corner of a track, or all of it."""

    start: QPointF
    now: QPointF
    seen: SeenTrack | None = None
    corner: int | None = None


class Marks(QObject):
    """The overlay of the Log bench's viewer, and the edits that are made with it."""

    changed = Signal()
    """What is drawn, what is chosen, or what a click would do is another one than before."""
    frame_requested = Signal(int)
    """A track was lost here: it should be looked at."""

    def __init__(self, context: Context, viewer: Viewer) -> None:
        super().__init__(viewer)
        self._session = context.session
        self._measurements = context.measurements
        self._track_jobs = context.track_jobs
        self._viewer = viewer
        self._take: Take | None = None
        self.frame = 0
        self._mode: Mode = "look"
        self._shows_vectors = False
        self._chosen: str | None = None
        self._drag: _Drag | None = None
        self._awaited: set[str] = set()
        self._areas: dict[CarriedArea, list[Area | None]] = {}
        self._areas_by: Trace | None = None
        context.track_jobs.changed.connect(self._on_track_jobs_changed)
        context.measurements.measured.connect(self._tell)

    # What is shown

    def show(self, take: Take | None, frame: int) -> None:
        """The take and the frame that the viewer shows; None: no take, and nothing is drawn."""
        if take is None or (self._take is not None and take.id != self._take.id):
            self._mode, self._drag = "look", None
        self._take, self.frame = take, frame
        self._viewer.set_overlay(self if take is not None else None)
        if self._chosen is not None and (take is None or self._chosen not in _marks_of(take)):
            self._chosen = None

    @property
    def mode(self) -> Mode:
        """What the next drag in the picture makes."""
        return self._mode

    def put_back(self) -> bool:
        """Drops what is being dragged, or the wish to draw something; whether there was any."""
        if self._drag is None and self._mode == "look":
            return False
        self._drag, self._mode = None, "look"
        self._tell()
        return True

    def set_mode(self, mode: Mode) -> None:
        self._mode = mode if self._take is not None else "look"
        if self._mode == "standing":
            self._shows_vectors = True  # to see what there is to choose from
        self._tell()

    @property
    def shows_vectors(self) -> bool:
        return self._shows_vectors

    def set_shows_vectors(self, shows: bool) -> None:
        self._shows_vectors = shows
        self._tell()

    @property
    def chosen(self) -> str | None:
        """The id of the chosen track or area, or `POINTED`."""
        return self._chosen

    def choose(self, mark_id: str | None) -> None:
        if mark_id != self._chosen:
            self._chosen = mark_id
            self._tell()

    @property
    def seen_tracks(self) -> list[SeenTrack]:
        """The tracks as they stand on the frame looked at."""
        found = [self._seen(track) for track in self._take.tracks] if self._take is not None else []
        return [seen for seen in found if seen is not None]

    def _seen(self, track: Track) -> SeenTrack | None:
        placed = next((each for each in track.placed if each.frame == self.frame), None)
        if placed is not None:
            return SeenTrack(track=track, places=np.array(placed.places), source="placed", confidence=1.0)
        followed = self._track_jobs.of(track)
        if followed is None or self.frame >= followed.frames:
            return None
        known = np.flatnonzero(followed.known)
        if followed.known[self.frame]:
            sure = float(followed.confidence[self.frame])
            return SeenTrack(track=track, places=followed.places[self.frame], source="followed", confidence=sure)
        nearest = int(known[np.argmin(np.abs(known - self.frame))]) if len(known) else None
        if nearest is None:
            return None
        return SeenTrack(track=track, places=followed.places[nearest], source="lost", confidence=0.0)

    def _area(self, left_out: LeftOut) -> Area | None:
        """Where an area that is left out lies on the frame looked at, as shares."""
        assert self._take is not None
        trace = self._measurements.trace(self._take)
        if not left_out.carried or trace is None:
            return left_out.area
        if trace is not self._areas_by:
            self._areas_by, self._areas = trace, {}
        drawn = CarriedArea(frame=left_out.frame, area=left_out.area)
        if drawn not in self._areas:
            self._areas[drawn] = carried_area(drawn, trace)
        path = self._areas[drawn]
        return path[self.frame] if self.frame < len(path) else None

    # Overlay

    def paint(self, painter: QPainter, rect: QRect) -> None:
        if self._take is None:
            return
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setClipRect(rect)
        for left_out in self._take.left_out:
            area = self._area(left_out)
            if area is not None:
                painting.paint_area(painter, rect, area, chosen=left_out.id == self._chosen)
        if self._shows_vectors:
            vectors = self._measurements.vectors(self._take, self.frame)
            if vectors is not None:
                painting.paint_vectors(painter, rect, vectors)
                if len(vectors.groups):
                    painting.paint_words(painter, rect, painting.group_words(vectors))
            else:
                painting.paint_words(painter, rect, "not measured yet")
        pointed = self._take.pointed
        if pointed is not None and pointed.frame == self.frame:
            painting.paint_pointed(painter, rect, pointed.place)
        for number, seen in enumerate(self.seen_tracks):
            self._paint_track(painter, rect, seen, number)
        drag = self._drag
        if drag is not None and drag.seen is None:
            painting.paint_frame(painter, drag.start, drag.now, point=self._mode in ("point", "standing"))

    def _paint_track(self, painter: QPainter, rect: QRect, seen: SeenTrack, number: int) -> None:
        places = self._to_view(seen.places, rect)
        if self._drag is not None and self._drag.seen is not None and self._drag.seen.track.id == seen.track.id:
            places = self._dragged(self._drag, rect)
        followed = self._track_jobs.of(seen.track)
        trail = None
        if followed is not None and seen.track.kind == "point":
            first, end = max(0, self.frame - 15), min(followed.frames, self.frame + 16)
            trail = self._to_view(followed.places[first:end, 0], rect)
        painting.paint_track(painter, seen, places, trail, number, chosen=seen.track.id == self._chosen)

    def cursor(self, at: QPointF, rect: QRect) -> Qt.CursorShape:
        if self._mode != "look":
            return Qt.CursorShape.CrossCursor
        return Qt.CursorShape.SizeAllCursor if self._under(at, rect) is not None else Qt.CursorShape.ArrowCursor

    def press(self, at: QPointF, rect: QRect) -> bool:
        if self._take is None or not rect.contains(at.toPoint()):
            return False
        if self._mode != "look":
            self._drag = _Drag(start=at, now=at)
        else:
            under = self._under(at, rect)
            if under is None:
                return False
            seen, corner = under
            self.choose(seen.track.id)
            self._drag = _Drag(start=at, now=at, seen=seen, corner=corner)
        self._viewer.update()
        return True

    def drag(self, at: QPointF, rect: QRect) -> None:
        if self._drag is not None:
            self._drag.now = at
            self._viewer.update()

    def release(self, at: QPointF, rect: QRect) -> None:
        drag, self._drag = self._drag, None
        if drag is None or self._take is None:
            return
        drag.now = at
        moved = (at - drag.start).manhattanLength()
        if drag.seen is not None:
            if moved >= 1 or drag.seen.source == "lost":
                self._put(drag.seen.track, self._to_px(self._dragged(drag, rect), rect))
        elif self._mode == "point":
            self._begin("point", self._to_px(np.array([[at.x(), at.y()]]), rect))
        elif self._mode == "standing":
            self._point_at(at, rect)
        elif moved >= _LEAST_DRAG_PX:
            box = QRect(drag.start.toPoint(), at.toPoint()).normalized().intersected(rect)
            if self._mode == "area":
                self._leave_out(box, rect)
            else:
                corners = (box.topLeft(), box.topRight(), box.bottomRight(), box.bottomLeft())
                self._begin("surface", self._to_px(np.array([[p.x(), p.y()] for p in corners], float), rect))
        self._tell()

    # Edits

    def _begin(self, kind: Literal["point", "surface"], places: Places) -> None:
        assert self._take is not None
        names = {track.name for track in self._take.tracks}
        name = next(n for n in (f"{kind.capitalize()} {k}" for k in range(1, len(names) + 2)) if n not in names)
        track = Track(name=name, kind=kind, placed=(self._placement(places),))
        self._mode = "look"
        self._awaited.add(track.id)
        if self._session.do(AddTrack(take_id=self._take.id, track=track)):
            self._chosen = track.id

    def _put(self, track: Track, places: Places) -> None:
        assert self._take is not None
        self._awaited.add(track.id)
        self._session.do(PlaceTrack(take_id=self._take.id, track_id=track.id, placement=self._placement(places)))

    def _placement(self, places: Places) -> Placement:
        return Placement(frame=self.frame, places=tuple((round(float(x), 3), round(float(y), 3)) for x, y in places))

    def _point_at(self, at: QPointF, rect: QRect) -> None:
        assert self._take is not None
        x, y = (at.x() - rect.left()) / rect.width(), (at.y() - rect.top()) / rect.height()
        place = (round(float(np.clip(x, 0, 1)), 5), round(float(np.clip(y, 0, 1)), 5))
        self._mode, self._chosen = "look", POINTED
        self._session.do(PointAt(take_id=self._take.id, pointed=Pointed(frame=self.frame, place=place)))

    def _leave_out(self, box: QRect, rect: QRect) -> None:
        assert self._take is not None
        x, y = (box.left() - rect.left()) / rect.width(), (box.top() - rect.top()) / rect.height()
        w, h = min(box.width() / rect.width(), 1 - x), min(box.height() / rect.height(), 1 - y)
        area = LeftOut(frame=self.frame, area=(x, y, w, h))
        self._mode, self._chosen = "look", area.id
        self._session.do(SetLeftOut(take_id=self._take.id, left_out=(*self._take.left_out, area)))

    def carry(self, carried: bool) -> None:
        """Has the chosen area go along with the picture, or stay where it is."""
        if self._take is not None and any(each.id == self._chosen for each in self._take.left_out):
            areas = (a.changed(carried=carried) if a.id == self._chosen else a for a in self._take.left_out)
            self._session.do(SetLeftOut(take_id=self._take.id, left_out=tuple(areas), label="Carry an area along"))

    def forget(self) -> None:
        """Removes the chosen track or area."""
        if self._take is None or self._chosen is None:
            return
        if self._chosen == POINTED:
            label = "Choose by itself what stands still"
            self._session.do(PointAt(take_id=self._take.id, pointed=None, label=label))
        elif any(track.id == self._chosen for track in self._take.tracks):
            self._session.do(RemoveTrack(take_id=self._take.id, track_id=self._chosen))
        else:
            left = tuple(each for each in self._take.left_out if each.id != self._chosen)
            self._session.do(SetLeftOut(take_id=self._take.id, left_out=left, label="Count an area again"))

    @property
    def can_hand_on(self) -> bool:
        """Whether a track is chosen that has been followed."""
        return self._chosen_followed() is not None

    def chosen_as_csv(self) -> str | None:
        """The chosen track, as far as it is followed, as a table; None: no track is chosen, or none is followed."""
        chosen = self._chosen_followed()
        return track_csv(*chosen) if chosen is not None else None

    def _chosen_followed(self) -> tuple[Track, Followed, Take] | None:
        take = self._take
        track = next((t for t in take.tracks if t.id == self._chosen), None) if take is not None else None
        followed = self._track_jobs.of(track) if track is not None else None
        return (track, followed, take) if take is not None and track is not None and followed is not None else None

    def add_from(self, path: Path) -> None:
        """Adds a track from a table. Raises `ClevrinError` for what is none."""
        if self._take is not None:
            track = read_track(path, self._take)
            if self._session.do(AddTrack(take_id=self._take.id, track=track)):
                self.choose(track.id)

    def rename(self, track_id: str, name: str) -> None:
        if self._take is not None and name:
            change = ChangeTrack(take_id=self._take.id, track_id=track_id, name=name, label="Name track")
            self._session.do(change)

    def set_limit(self, limit: float) -> None:
        """Says under which confidence the chosen track stops."""
        if self._take is not None and self._chosen is not None:
            self._awaited.add(self._chosen)
            self._session.do(ChangeTrack(take_id=self._take.id, track_id=self._chosen, limit=limit))

    # Where things are

    def _to_view(self, places: Places, rect: QRect) -> Places:
        assert self._take is not None
        size = np.array([self._take.facts.width, self._take.facts.height])
        view: Places = (places + 0.5) / size * (rect.width(), rect.height()) + (rect.left(), rect.top())
        return view

    def _to_px(self, view: Places, rect: QRect) -> Places:
        assert self._take is not None
        size = np.array([self._take.facts.width, self._take.facts.height])
        px: Places = (view - (rect.left(), rect.top())) / (rect.width(), rect.height()) * size - 0.5
        return px

    def _dragged(self, drag: _Drag, rect: QRect) -> Places:
        """Where a dragged track is now, in the widget."""
        assert drag.seen is not None
        places = self._to_view(drag.seen.places, rect).copy()
        moved = np.array([drag.now.x() - drag.start.x(), drag.now.y() - drag.start.y()])
        if drag.corner is None:
            return places + moved
        places[drag.corner] += moved
        return places

    def _under(self, at: QPointF, rect: QRect) -> tuple[SeenTrack, int | None] | None:
        """The track under the mouse, and which of its corners; None: all of it. The chosen one first."""
        here = np.array([at.x(), at.y()])
        for seen in sorted(self.seen_tracks, key=lambda each: each.track.id != self._chosen):
            places = self._to_view(seen.places, rect)
            away = np.hypot(*(places - here).T)
            if away.min() < _NEAR_PX:
                return seen, int(np.argmin(away)) if len(places) > 1 else None
            if len(places) > 1 and painting.polygon(places).containsPoint(at, Qt.FillRule.OddEvenFill):
                return seen, None
        return None

    def _tell(self, *_: object) -> None:
        self._viewer.update()
        self.changed.emit()

    def _on_track_jobs_changed(self, take_id: str, track_id: str) -> None:
        self._tell()
        if track_id not in self._awaited:
            return  # tracks that come with a project: nobody is led to where they end
        self._awaited.discard(track_id)
        take = self._take
        if take is None or take.id != take_id or track_id not in _marks_of(take):
            return
        track = take.track(track_id)
        followed = self._track_jobs.of(track)
        lost = followed.lost if followed is not None else ()
        frame = next((frame for frame in lost if frame > self.frame), None)
        if frame is not None:
            self.choose(track_id)
            self.frame_requested.emit(frame)


def _marks_of(take: Take) -> set[str]:
    marks = {track.id for track in take.tracks} | {area.id for area in take.left_out}
    return marks if take.pointed is None else marks | {POINTED}
