"""Where things of the source are on the pictures of the Steady bench: an anchor's point, and a mesh's knots."""

import numpy as np
from numpy.typing import NDArray

from clevrin.core.document import Placement, Shot, Track
from clevrin.core.motion.geometry.models import MESH_KNOTS, apply
from clevrin.core.render.planning.shot_map import reel_map
from clevrin.core.render.resolving.hold_request import HoldRequest
from clevrin.desk.bench.context import Context
from clevrin.desk.steady.subject import Place

Matrix = NDArray[np.float64]

_HARDLY_FRAMES = 3
_DRAWN_LARGER = 12.0
"""The displacements of a mesh are a pixel or two: they are drawn so many times larger."""


class OnPicture:
    """Places as shares of the picture that a viewer shows, for a shot on the reel."""

    def __init__(self, context: Context) -> None:
        self._context = context

    def track(self, shot: Shot) -> Track | None:
        """The track that a shot is anchored to."""
        return HoldRequest.of(self._context.session.project, shot).track

    def new_track(self, shot: Shot, frame: int, place: Place) -> Track | None:
        """A track that begins at a place of the picture as shot; None outside of the take's picture."""
        facts = self._context.session.project.take(shot.take_id).facts
        x, y = self._to_source(shot, place)
        if not (0 <= x < facts.width and 0 <= y < facts.height):
            return None
        count = len(self._context.session.project.take(shot.take_id).tracks)
        placed = Placement(frame=frame, places=((x, y),))
        before = self.track(shot)
        if before is not None and before.kind == "point" and self._is_lost(shot, before):
            return before.changed(placed=(placed,))  # one that could not be followed gives way
        return Track(name=f"anchor {count + 1}", kind="point", placed=(placed,))

    def _is_lost(self, shot: Shot, track: Track) -> bool:
        """Whether hardly any frame of a shot is left in which a track is known, beside those where it was placed."""
        followed = self._context.track_jobs.of(track)
        if followed is None:
            return False
        known = followed.known[shot.span.first : min(shot.span.end, followed.frames)]
        return int(known.sum()) <= len(track.placed) + _HARDLY_FRAMES

    def as_shot(self, shot: Shot, frame: int) -> Place | None:
        """Where the anchor's point is on the picture as shot."""
        at = self._source_place(shot, frame)
        return None if at is None else self._shares(shot, at)

    def as_held(self, shot: Shot, frame: int) -> Place | None:
        """Where the anchor's point is on the held picture."""
        at, path = self._source_place(shot, frame), self._context.measurements.held_before(shot)
        if at is None or path is None:
            return None
        return self._shares(shot, apply(np.linalg.inv(path.at(frame)), at[None])[0])

    def in_gate(self, shot: Shot, place: Place) -> Place:
        """A place on the reel's picture as one in the gate, which is as large as the source."""
        facts = self._context.session.project.take(shot.take_id).facts
        x, y = self._to_source(shot, place)
        across, down = (x + 0.5) / facts.width, (y + 0.5) / facts.height
        return float(np.clip(across, 0, 1)), float(np.clip(down, 0, 1))

    def knots(self, shot: Shot, frame: int) -> Matrix | None:
        """(rows, columns, 2): a mesh's knots on the held picture, drawn further apart than they are."""
        path = self._context.measurements.held_before(shot)
        bend = None if path is None else path.bend_at(frame)
        if path is None or bend is None:
            return None
        facts = self._context.session.project.take(shot.take_id).facts
        rows, columns = MESH_KNOTS
        x, y = np.meshgrid(np.linspace(0, facts.width - 1, columns), np.linspace(0, facts.height - 1, rows))
        places = np.stack([x, y], axis=-1) - bend * _DRAWN_LARGER
        held = apply(np.linalg.inv(path.at(frame)), places.reshape(-1, 2))
        return np.array([self._shares(shot, each) for each in held]).reshape(rows, columns, 2)

    def _source_place(self, shot: Shot, frame: int) -> Matrix | None:
        track = self.track(shot)
        if track is None:
            return None
        followed = self._context.track_jobs.of(track)
        if followed is not None and frame < followed.frames and followed.known[frame]:
            return np.asarray(followed.places[frame].mean(axis=0))
        placed = next((each for each in track.placed if each.frame == frame), None)
        return None if placed is None else np.array(placed.places).mean(axis=0)

    def _to_source(self, shot: Shot, place: Place) -> tuple[float, float]:
        reel = self._context.session.project.reel
        at = np.array([[place[0] * reel.width - 0.5, place[1] * reel.height - 0.5]])
        x, y = apply(self._map(shot), at)[0]
        return float(x), float(y)

    def _shares(self, shot: Shot, at: Matrix) -> Place:
        reel = self._context.session.project.reel
        x, y = apply(np.linalg.inv(self._map(shot)), at[None])[0]
        return float((x + 0.5) / reel.width), float((y + 0.5) / reel.height)

    def _map(self, shot: Shot) -> Matrix:
        project = self._context.session.project
        facts = project.take(shot.take_id).facts
        reel_size = project.reel.size
        fit = project.reel.fit_of(shot)
        return reel_map((facts.width, facts.height), reel_size, reel_size, shot.mirror, shot.turns, fit)
