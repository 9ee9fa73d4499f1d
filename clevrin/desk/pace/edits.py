"""What a user does with the speeds of the chosen shot: every change as an edit, or a sentence why there is none."""

from collections.abc import Callable
from typing import Any

import numpy as np

from clevrin.core.document import Pace, PacePoint, Rush, RushPoint, Sharp, Shot
from clevrin.core.document.edits import JoinShots, PaceShots, duplicate
from clevrin.core.document.pacing import FASTEST, SLOWEST
from clevrin.core.errors import ClevrinError
from clevrin.core.pace import placed_shots, reel_frame
from clevrin.core.pace.landing import landed
from clevrin.core.pace.shaping import READY, Clock, as_long_as, frame_at, frozen, put
from clevrin.desk.bench.context import Context
from clevrin.desk.pace.paced_shot import PacedShot

USUAL_SLOW, USUAL_FAST, USUAL_FREEZE_S = 0.5, 4.0, 1.0
_NEAR_FRAMES = 0.75


class PaceEdits:
    """Edits of the pace that is looked at; `seen` gives it, `tell` shows a sentence, `at` is the place looked at."""

    def __init__(
        self,
        context: Context,
        seen: Callable[[], PacedShot | None],
        tell: Callable[[str], None],
        at: Callable[[], float],
    ) -> None:
        self._context, self._seen, self._tell, self._at = context, seen, tell, at
        self.slow, self.fast = USUAL_SLOW, USUAL_FAST
        """The figures of ready ramps."""

    # Points

    def here(self) -> int | None:
        """The number of the point at the frame that is looked at."""
        seen = self._seen()
        return None if seen is None else seen.point_near(self._at(), _NEAR_FRAMES)

    def put_here(self) -> None:
        """Sets a point at the frame that is looked at, which changes nothing yet."""
        seen = self._seen()
        if seen is not None and self.here() is None:
            self.put(None, seen.point_here(self._at()))

    def put(self, number: int | None, point: PacePoint, gesture: str = "") -> None:
        """Puts a point instead of another one, or adds it (None)."""
        seen = self._seen()
        if seen is None:
            return
        label = "Add speed" if number is None else "Change speed"
        at = seen.order_at(self._at()) if number is None else number
        made = put(seen.pace, at, point, instead=number is not None)
        kept = frozenset() if number is None else frozenset({number})
        self._do(seen, made, label, gesture, kept)

    def change_here(self, fields: dict[str, Any], gesture: str = "") -> None:
        """Changes the point at the frame that is looked at; where there is none one is set."""
        seen, number = self._seen(), self.here()
        if seen is None:
            return
        point = seen.point_here(self._at()) if number is None else seen.pace.points[number]
        try:
            self.put(number, _changed(point, fields), gesture)
        except ValueError as error:
            self._tell(f"That is not a speed: {error}")

    def play_at(self, speed: float) -> None:
        """Plays all of the shot at one speed."""
        seen = self._seen()
        if seen is not None:
            points = (PacePoint(frame=seen.shot.first_shown, speed=speed),) if speed != 1 else ()
            self._do(seen, seen.pace.changed(points=points), "Change speed")

    def remove_here(self) -> None:
        seen, number = self._seen(), self.here()
        if seen is None:
            return
        if number is None:
            self._tell("No speed is set at this frame: go to a point first.")
            return
        self._do(seen, seen.pace.changed(points=_without(seen.pace, number)), "Remove speed")

    def remove_all(self) -> None:
        """Plays the shot as it was shot again; how frames are made stays."""
        seen = self._seen()
        if seen is not None and (seen.pace.points or seen.pace.length_frames):
            self._do(seen, seen.pace.changed(points=(), length_frames=None), "Remove all speeds")

    def neighbour(self, way: int) -> float | None:
        """The place of the point before (-1) or after (1) the frame that is looked at."""
        seen = self._seen()
        places = [] if seen is None else [place for place in seen.places if place is not None]
        beyond = [place for place in places if (place - self._at()) * way > _NEAR_FRAMES]
        return None if not beyond else (min(beyond) if way > 0 else max(beyond))

    # Several at once

    def take_ready(self, name: str) -> None:
        """Replaces the speeds of all chosen shots by those of a ready ramp."""
        paces = []
        for shot in self._context.session.chosen:
            points = READY[name].points(shot, self.slow, self.fast)
            if len(points) >= 2:
                paces.append((shot.id, shot.pace.changed(points=points, length_frames=None)))
        if not paces:
            self._tell("A ramp needs a shot of a few frames.")
            return
        self._context.session.do(PaceShots(paces=tuple(paces), label=f"Ramp {READY[name].words}"))

    def freeze(self) -> None:
        """Has the picture that is looked at stand still."""
        seen = self._seen()
        if seen is None:
            return
        here = seen.point_here(self._at())
        reverse = seen.shot.reverse
        self._try(
            seen,
            lambda: frozen(seen.pace, here.frame, USUAL_FREEZE_S, here.speed, reverse=reverse),
            "Freeze picture",
        )

    def loop(self) -> None:
        """Puts the shot on the reel once more, behind itself."""
        seen = self._seen()
        if seen is not None:
            self._context.session.do(duplicate((seen.shot.id,)))

    # Length

    def last(self, frames: int) -> None:
        """Has each chosen shot last so many frames of the reel; where its length is locked, that is the new length."""
        seen = self._seen()
        if seen is None:
            return
        session = self._context.session
        chosen = {seen.shot.id, *(shot.id for shot in session.others)}
        paces = []
        try:
            for placed in placed_shots(session.project):
                if placed.shot.id in chosen:
                    fitted = as_long_as(placed.shot, frames, Clock.of(placed))
                    paces.append((placed.shot.id, fitted.changed(length_frames=frames)))
        except (ClevrinError, ValueError) as error:
            self._tell(str(error))
            return
        session.do(PaceShots(paces=tuple(paces), label=f"Last {frames} frames"))

    def last_to_marker(self) -> None:
        """Has the shot end at the next marker or beat behind its middle."""
        seen = self._seen()
        if seen is None:
            return
        middle = (seen.placed.start + seen.placed.end) // 2
        ahead = [marker.frame for marker in seen.project.reel.markers if marker.frame > middle]
        later = [frame for frame in ahead if frame != seen.placed.end]
        if not later:
            self._tell("There is no marker behind the middle of this shot.")
            return
        self.last(min(later) - seen.placed.start)

    def last_to_whip(self) -> None:
        """Has the shot last until the whip of the next one, which then begins with it; what follows stays in place."""
        seen = self._seen()
        row = () if seen is None else placed_shots(seen.project)
        at = next((k for k, placed in enumerate(row) if seen is not None and placed.shot.id == seen.shot.id), None)
        if seen is None or at is None or at + 1 >= len(row):
            self._tell("There is no shot behind this one.")
            return
        after = row[at + 1]
        whips = [whip for whip in self._context.measurements.whips(after.take) if whip.peak in after.shot.span]
        gone = [(reel_frame(after, whip.peak) - after.start, whip.peak) for whip in whips]
        later = [each for each in gone if each[0] > 0]
        if not later:
            self._tell("The next shot has no whip behind its start.")
            return
        frames, peak = min(later)
        span = after.shot.span
        trimmed = span.changed(end=peak + 1) if after.shot.reverse else span.changed(first=peak)
        try:
            pace = as_long_as(seen.shot, seen.frames + frames, seen.clock)
        except ClevrinError as error:
            self._tell(str(error))
            return
        outgoing = seen.shot.changed(pace=pace.changed(length_frames=seen.frames + frames))
        incoming = after.shot.changed(span=trimmed)
        self._context.session.do(JoinShots(outgoing=outgoing, incoming=incoming, label="Last to the next whip"))

    def land(self) -> None:
        """Has each cut of the reel fall on the nearest beat."""
        try:
            paces = landed(self._context.session.project)
        except ClevrinError as error:
            self._tell(str(error))
            return
        if not paces:
            self._tell("Each cut is on a beat already, or none is near enough.")
            return
        self._context.session.do(PaceShots(paces=paces, label="Land on the beat"))

    def lock(self, on: bool) -> None:
        """Keeps the length of the shot, or lets it follow the speeds."""
        seen = self._seen()
        if seen is not None:
            frames = seen.frames if on else None
            label = "Lock length" if on else "Free length"
            self._do(seen, seen.pace.changed(length_frames=frames), label, locked=False)

    def move_tick(self, frame: int, at: float, gesture: str = "") -> None:
        """Brings a frame of the take to a place on the shot's reel."""
        seen = self._seen()
        if seen is None:
            return
        at_s = (at + 0.5) / float(seen.placed.reel_rate)
        self._try(seen, lambda: frame_at(seen.shot, frame, at_s, seen.clock), "Move frame", gesture)

    # What is made of it

    def change(self, fields: dict[str, Any], label: str = "Change pace", gesture: str = "") -> None:
        """Changes what is not a speed: how frames are made, and the sound."""
        seen = self._seen()
        if seen is not None:
            self._do(seen, seen.pace.changed(**fields), label, gesture, locked=False)

    def shutter(self, fields: dict[str, Any], gesture: str = "") -> None:
        """Changes the blur that is added."""
        seen = self._seen()
        if seen is not None:
            self.change({"shutter": seen.pace.shutter.changed(**fields)}, "Change shutter", gesture)

    def rush_by(self, how: str) -> None:
        """Has the shot rush out from a middle or along a direction, or no more ("none")."""
        seen = self._seen()
        if seen is not None:
            rush = None if how == "none" else (seen.pace.shutter.rush or Rush()).changed(how=how)
            self.change({"shutter": seen.pace.shutter.changed(rush=rush)}, "Change rush")

    def rush(self, fields: dict[str, Any], gesture: str = "") -> None:
        """Changes how a shot rushes."""
        seen = self._seen()
        rush = None if seen is None else seen.pace.shutter.rush
        if seen is not None and rush is not None:
            changed = seen.pace.shutter.changed(rush=rush.changed(**fields))
            self.change({"shutter": changed}, "Change rush", gesture)

    def rush_here(self, share: float, gesture: str) -> None:
        """Sets how much of a rush there is on the frame that is looked at."""
        seen = self._seen()
        rush = None if seen is None else seen.pace.shutter.rush
        if rush is not None:
            assert seen is not None
            frame = max(0, round(float(seen.instants[round(self._at())])))
            self.rush({"points": rush.put(RushPoint(frame=frame, share=share)).points}, gesture)

    def spare(self, named: str) -> None:
        """Keeps an area, or what a track follows, out of the added blur ("": nothing)."""
        seen = self._seen()
        if seen is None or not named:
            self.shutter({"sharp": None})
            return
        is_area = any(each.id == named for each in seen.take.areas)
        self.shutter({"sharp": Sharp(area=named) if is_area else Sharp(track=named)})

    def cancel(self, gesture: str) -> None:
        """Takes back what a gesture that has not ended did."""
        seen = self._seen()
        if seen is not None:
            self._context.session.cancel_gesture(_named(gesture, seen.shot))

    def _try(
        self, seen: PacedShot, make: Callable[[], Pace], label: str, gesture: str = "", *, locked: bool = True
    ) -> None:
        try:
            made = make()
        except (ClevrinError, ValueError) as error:
            self._tell(str(error))
        else:
            self._do(seen, made, label, gesture, locked=locked)

    def _do(
        self,
        seen: PacedShot,
        pace: Pace,
        label: str,
        gesture: str = "",
        kept: frozenset[int] = frozenset(),
        *,
        locked: bool = True,
    ) -> None:
        length = pace.length_frames
        if locked and length is not None and pace.points:
            try:
                pace = as_long_as(seen.shot.changed(pace=pace), length, seen.clock, kept).changed(length_frames=length)
            except ClevrinError as error:
                self._tell(str(error))
                return
        edit = PaceShots(paces=((seen.shot.id, pace),), label=label)
        self._context.session.do_for_chosen(edit, gesture=_named(gesture, seen.shot) if gesture else None)


def _changed(point: PacePoint, fields: dict[str, Any]) -> PacePoint:
    """A point with other fields; a speed that is next to none is none, and only what stands still stays."""
    speed = fields.get("speed", point.speed)
    if abs(speed) < SLOWEST:
        speed = 0.0 if abs(speed) < SLOWEST / 2 else float(np.sign(speed)) * SLOWEST
    stays = fields.get("stays_s", point.stays_s) if not speed else 0.0
    return point.changed(**{**fields, "speed": float(np.clip(speed, -FASTEST, FASTEST)), "stays_s": stays})


def _without(pace: Pace, number: int) -> tuple[PacePoint, ...]:
    return tuple(point for k, point in enumerate(pace.points) if k != number)


def _named(gesture: str, shot: Shot) -> str:
    return f"pace-{gesture}-{shot.id}"
