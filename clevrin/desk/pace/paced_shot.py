"""The shot that is paced, as its bench shows it: where its points and the frames of its take are on the reel."""

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from clevrin.core.document import Pace, PacePoint, Project, Shot, Take
from clevrin.core.document.pacing import bounded_speed
from clevrin.core.motion import Whip
from clevrin.core.pace import Placed, placed_shot, stamped_instants
from clevrin.core.pace.curve import point_times, progress_of
from clevrin.core.pace.shaping import Clock, put
from clevrin.core.pace.time_map import Seen
from clevrin.core.render.planning.shutter_samples import FITS

Numbers = NDArray[np.float64]


@dataclass(frozen=True, kw_only=True, eq=False)
class PacedShot:
    """A shot of a project where it stands on the reel; `stamps_s`: when its take's frames stand, if they vary."""

    project: Project
    placed: Placed
    stamps_s: tuple[float, ...] | None = None
    whips: tuple[Whip, ...] = ()

    @staticmethod
    def of(
        project: Project, shot_id: str, stamps_s: tuple[float, ...] | None, whips: tuple[Whip, ...]
    ) -> "PacedShot | None":
        found = placed_shot(project, shot_id)
        return None if found is None else PacedShot(project=project, placed=found, stamps_s=stamps_s, whips=whips)

    @property
    def shot(self) -> Shot:
        return self.placed.shot

    @property
    def take(self) -> Take:
        return self.placed.take

    @property
    def pace(self) -> Pace:
        return self.shot.pace

    @property
    def frames(self) -> int:
        return self.placed.frames

    @property
    def clock(self) -> Clock:
        """How its time goes where nothing is said."""
        return Clock.of(self.placed)

    @cached_property
    def _course(self) -> Seen:
        return self.placed.time.seen(np.arange(self.frames, dtype=float))

    @cached_property
    def speeds(self) -> Numbers:
        """(frames,): how fast it plays at each of its reel's frames."""
        per_frame = self._course.speed
        return per_frame * float(self.placed.reel_rate / self.take.facts.rate)

    @cached_property
    def instants(self) -> Numbers:
        """(frames,): the moment of the take that each of its reel's frames shows, in frames of it."""
        return stamped_instants(self.placed, self.stamps_s)

    @cached_property
    def invented(self) -> NDArray[np.bool_]:
        """(frames,): whether a frame of the reel shows a moment that was not shot."""
        if self.pace.made_between == "nearest":
            return np.zeros(self.frames, bool)
        between = np.abs(self.instants - np.round(self.instants)) > float(FITS) + 1e-9
        if self.pace.made_between == "best":
            between &= ~self._course.fits
        return between

    @cached_property
    def ticks(self) -> Numbers:
        """(n, 2): each frame of the take that the shot passes, and where on its reel that is, in frames of it."""
        passed = []
        rises = np.diff(self.instants)
        for k, rise in enumerate(rises):
            if rise:
                low, high = sorted((self.instants[k], self.instants[k + 1]))
                last = k == len(rises) - 1
                for frame in range(int(np.ceil(low - 1e-9)), int(np.floor(high + 1e-9)) + 1):
                    at = k + (frame - self.instants[k]) / rise
                    if at < k + 1 - 1e-9 or last:
                        passed.append((float(frame), at))
        if not passed:
            passed.append((float(np.round(self.instants[0])), 0.0))
        return np.array(passed)

    @cached_property
    def places(self) -> tuple[float | None, ...]:
        """Where each of its points is on its reel, in frames of it; None for one that is never come to."""
        times = point_times(self.shot, self.take.facts.rate)
        scale = self.clock.frames(self.shot)
        by = self.frames / scale if scale > 0 else 1.0
        per_s = float(self.placed.reel_rate) * by
        return tuple(None if time is None else float(time) * per_s - 0.5 for time in times)

    def place_with(self, number: int, point: PacePoint) -> float:
        """Where on its reel one of its points would be if it were another one; before all where it is never come to."""
        shot = self.shot.changed(pace=put(self.pace, number, point, instead=True))
        time = point_times(shot, self.take.facts.rate)[number]
        return -1.0 if time is None else float(time * self.placed.reel_rate) - 0.5

    def point_near(self, at: float, within: float) -> int | None:
        """The number of the point next to a place on its reel."""
        near = [(abs(place - at), k) for k, place in enumerate(self.places) if place is not None]
        found = min(near, default=None)
        return found[1] if found is not None and found[0] <= within else None

    def order_at(self, at: float) -> int:
        """How many of its points are played before a place on its reel."""
        before = [k for k, place in enumerate(self.places) if place is not None and place <= at]
        return max(before) + 1 if before else 0

    def frame_at(self, at: float) -> int:
        """The frame of the take that is the nearest at a place on its reel."""
        row = int(np.clip(round(at), 0, self.frames - 1))
        return int(np.clip(round(float(self.instants[row])), self.shot.span.first, self.shot.span.end - 1))

    def point_here(self, at: float) -> PacePoint:
        """A point at a place on its reel that changes nothing there."""
        row = int(np.clip(round(at), 0, self.frames - 1))
        return PacePoint(frame=self.frame_at(at), speed=round(bounded_speed(float(self.speeds[row])), 4))

    def reel_place(self, frame: float) -> float:
        """Where on its reel an instant of the take is first, in frames of it."""
        return float(self.placed.time.at(progress_of(self.shot, round(frame))))
