"""What a user does with the gate of the chosen shot: every change as an edit, or a sentence why there is none."""

from collections.abc import Callable
from typing import Any

import numpy as np
from numpy.typing import NDArray

from clevrin.core.document import CounterZoom, Gate, Output, Placement, Pose, Track
from clevrin.core.document.edits import AddOutput, ChangeOutput, FitReel, FitShots, RemoveOutput, SetGate, TurnShots
from clevrin.core.gate.pose_presets import MoveTerms, backward, mirrored, moved_by, put_on
from clevrin.core.gate.resting import resting_place
from clevrin.core.motion.movers import Mover
from clevrin.desk.bench.context import Context
from clevrin.desk.reframe.gated_shot import SeenShot
from clevrin.desk.reframe.subjects import followed

SHAPES: tuple[tuple[str, str, int, int], ...] = (
    ("wide", "16:9", 1920, 1080),
    ("upright", "9:16", 1080, 1920),
    ("square", "1:1", 1080, 1080),
    ("four to five", "4:5", 1080, 1350),
    ("broad", "2.39:1", 1920, 804),
)
"""Name, shape as it is written, and the size that an output of it gets at first."""


class GateEdits:
    """Edits of the gate that is looked at; `seen` gives it, `tell` shows a sentence."""

    def __init__(
        self,
        context: Context,
        seen: Callable[[], SeenShot | None],
        tell: Callable[[str], None],
        frame: Callable[[], int],
    ) -> None:
        self._context, self._seen, self._tell, self._frame = context, seen, tell, frame
        self.amount, self.frames = 0.2, 12
        """How far ready moves go, and how quickly those do that go at once."""

    # Poses

    def put(self, pose: Pose, *, instead_of: int | None = None, gesture: str = "") -> None:
        """Puts a pose in the gate, inside of the picture where the edge has to stay out of it."""
        seen = self._seen()
        if seen is None:
            return
        if seen.shot.hold.stays_inside:
            pose = seen.form.kept_inside(pose)
        self._do(seen, seen.gate.put(pose, instead_of=instead_of), "Set pose", gesture)

    def cancel(self, gesture: str) -> None:
        """Takes back what a gesture that has not ended did."""
        seen = self._seen()
        if seen is not None:
            self._context.session.cancel_gesture(_named(gesture, seen))

    def put_here(self) -> None:
        """Sets a pose where the gate is at the frame that is looked at."""
        seen = self._seen()
        if seen is not None:
            self.put(seen.pose_here(self._frame()))

    def remove_here(self) -> None:
        seen = self._seen()
        if seen is None:
            return
        if seen.gate.pose_at(self._frame()) is None:
            self._tell("No pose stands on this frame: go to one first.")
            return
        self._do(seen, seen.gate.without(self._frame()), "Remove pose")

    def remove_all(self) -> None:
        """Takes all poses away; what is followed stays."""
        seen = self._seen()
        if seen is not None and seen.gate.poses:
            self._do(seen, seen.gate.changed(poses=()), "Remove all poses")

    def change_pose(self, fields: dict[str, Any], gesture: str = "") -> None:
        """Changes the pose on the frame that is looked at; where none stands one is set."""
        seen = self._seen()
        if seen is not None:
            self.put(seen.pose_here(self._frame()).changed(**fields), gesture=gesture)

    def size_to(self, share: float, gesture: str = "") -> None:
        """Makes the gate this share of the whole one, at the frame that is looked at."""
        seen = self._seen()
        if seen is not None:
            self.change_pose({"width": share * seen.whole}, gesture)

    def nudge(self, across: float, down: float) -> None:
        """Moves the gate by some pixels of the source."""
        seen = self._seen()
        if seen is not None:
            pose = seen.pose_here(self._frame())
            self.put(pose.changed(x=pose.x + across, y=pose.y + down), gesture="nudge")

    def neighbour(self, way: int) -> int | None:
        """The frame of the pose before (-1) or after (1) the frame that is looked at."""
        seen = self._seen()
        frames = [] if seen is None else [pose.frame for pose in seen.gate.poses]
        beyond = [f for f in frames if (f - self._frame()) * way > 0]
        return None if not beyond else (min(beyond) if way > 0 else max(beyond))

    # All of them together

    def take_ready(self, name: str) -> None:
        """Replaces the poses by those of a ready move."""
        seen = self._seen()
        if seen is None:
            return
        here = seen.pose_here(self._frame())
        terms = MoveTerms(
            span=seen.shot.span,
            frame=self._frame(),
            whole=seen.whole,
            x=here.x,
            y=here.y,
            amount=self.amount,
            frames=self.frames,
        )
        if seen.shot.span.frames < 2:
            self._tell("A move needs a shot of two frames at least.")
            return
        poses = moved_by(name, terms)
        if seen.shot.hold.stays_inside:
            poses = tuple(seen.form.kept_inside(pose) for pose in poses)
        self._do(seen, seen.gate.changed(poses=poses), "Take ready move")

    def rest(self, detail: NDArray[np.float64]) -> None:
        """Replaces the poses by one where most is to be seen, as large as the gate is now."""
        seen = self._seen()
        if seen is None:
            return
        here = seen.pose_here(self._frame())
        x, y = resting_place(detail, seen.form, here.width)
        pose = Pose(frame=self._frame(), x=x, y=y, width=here.width)
        self._do(seen, seen.gate.changed(poses=(pose,)), "Rest where most is")

    def mirror(self) -> None:
        seen = self._seen()
        if seen is not None:
            facts = seen.take.facts
            self._do(seen, mirrored(seen.gate, facts.width, facts.height), "Mirror poses")

    def turn_round(self) -> None:
        seen = self._seen()
        if seen is not None:
            self._do(seen, backward(seen.gate, seen.shot.span), "Turn poses round")

    def put_on_chosen(self) -> None:
        """Gives the other chosen shots the poses of this one, counted from their starts."""
        seen = self._seen()
        if seen is None:
            return
        session = self._context.session
        others = [id for id in session.shot_ids if id != seen.shot_id]
        if not others:
            self._tell("Choose the other shots on the reel as well: hold Ctrl and click them.")
            return
        for id in others:
            other = session.project.shot(id)
            gate = put_on(seen.gate, seen.shot.span, other.span, seen.output)
            edit = SetGate(shot_id=id, gate=gate, label="Put poses on shots")
            session.do(edit, gesture="put poses")
        session.end_gesture()

    def level(self, degrees: float) -> None:
        """Turns the gate of the whole shot so that a line at this angle of the picture as shot is level."""
        seen = self._seen()
        if seen is not None:
            self._do(seen, seen.gate.changed(level_deg=round(degrees, 2)), "Level shot")

    # Following

    def follow(self, track_id: str, track: Track | None = None) -> None:
        """Follows a track of the take, from its first frame on or, where one is followed already, from here on."""
        seen = self._seen()
        if seen is None:
            return
        self._do(seen, followed(seen.gate, seen.shot, self._frame(), track_id), "Follow", track=track)

    def follow_at(self, place: tuple[float, float]) -> None:
        """Follows the point at a place of the source, on the frame that is looked at."""
        seen = self._seen()
        if seen is None:
            return
        facts, x, y = seen.take.facts, *place
        if not (0 <= x < facts.width and 0 <= y < facts.height):
            self._tell("Click within the picture: there is nothing to follow here.")
            return
        self._follow_new(seen, Placement(frame=self._frame(), places=(place,)))

    def follow_mover(self, mover: Mover) -> None:
        """Follows what moves by itself, from where it is best seen."""
        seen = self._seen()
        if seen is not None:
            self._follow_new(seen, Placement(frame=mover.frame, places=(mover.middle,)))

    def _follow_new(self, seen: SeenShot, placed: Placement) -> None:
        track = Track(name=f"subject {len(seen.take.tracks) + 1}", kind="point", placed=(placed,))
        self.follow(track.id, track)

    def stop_following(self) -> None:
        seen = self._seen()
        if seen is not None and seen.gate.follows:
            self._do(seen, seen.gate.changed(follows=()), "Follow nothing")

    def change_follow(self, fields: dict[str, Any], gesture: str = "") -> None:
        """Changes the terms on which the subject that is followed at this frame is followed."""
        seen = self._seen()
        if seen is None or not seen.gate.follows:
            self._tell("Nothing is followed: choose a subject first.")
            return
        at = max((k for k, each in enumerate(seen.gate.follows) if each.frame <= self._frame()), default=0)
        follows = list(seen.gate.follows)
        kinds = [track.kind for track in seen.take.tracks if track.id in follows[at].tracks]
        if fields.get("size") and len(kinds) < 2 and "surface" not in kinds:
            self._tell("A point has no size: follow a surface in Log, and follow that.")
            return
        follows[at] = follows[at].changed(**fields)
        self._do(seen, seen.gate.changed(follows=tuple(follows)), "Change following", gesture)

    def counter(self, amount: float, gesture: str = "") -> None:
        seen = self._seen()
        if seen is None:
            return
        zoom = seen.gate.counter_zoom or CounterZoom()
        self._do(seen, seen.gate.changed(counter_zoom=zoom.changed(amount=amount) if amount else None), "Zoom", gesture)

    def counter_to(self, track_id: str | None) -> None:
        """Runs the size against a surface that is followed, or against the camera (None)."""
        seen = self._seen()
        if seen is None:
            return
        track = None if track_id is None else seen.take.track(track_id)
        if track is not None and track.kind == "point":
            self._tell("A point has no size: choose a surface, or the camera.")
            return
        zoom = (seen.gate.counter_zoom or CounterZoom()).changed(track=track_id)
        self._do(seen, seen.gate.changed(counter_zoom=zoom), "Zoom")

    # How the picture is laid

    def turn_picture(self, turns: int) -> None:
        """Turns the chosen shots by quarters, anticlockwise as seen."""
        ids = self._context.session.shot_ids
        if ids:
            self._context.session.do(TurnShots(shot_ids=ids, turns=turns % 4))  # type: ignore[arg-type]

    def fit(self, fit: str) -> None:
        """How the chosen shots stand on the reel: "reel" is as the reel says."""
        ids = self._context.session.shot_ids
        if ids:
            self._context.session.do(FitShots(shot_ids=ids, fit=None if fit == "reel" else fit))  # type: ignore[arg-type]

    def fit_all(self, fit: str) -> None:
        """How takes of another shape stand on the reel where their shots say nothing."""
        self._context.session.do(FitReel(fit=fit))  # type: ignore[arg-type]

    def colour_bars(self, colour: str) -> None:
        session = self._context.session
        session.do(FitReel(fit=session.project.reel.fit, bars=colour))

    # Outputs

    def add_output(self, name: str, width: int, height: int) -> Output | None:
        """Adds an output whose gates follow what those that are looked at follow; None where it is not possible."""
        taken = {output.name for output in self._context.session.project.outputs}
        words, number = name, 2
        while words in taken:
            words, number = f"{name} {number}", number + 1
        try:
            output = Output(name=words, width=width, height=height)
        except ValueError:
            self._tell("An output is 2 to 8192 pixels wide and high, even ones.")
            return None
        gates = tuple((shot.id, shot.gate(self._looked_at())) for shot in self._context.session.project.reel.shots)
        given = tuple((id, gate.changed(poses=(), counter_zoom=None)) for id, gate in gates if gate.follows)
        return output if self._context.session.do(AddOutput(output=output, gates=given)) else None

    def _looked_at(self) -> str | None:
        seen = self._seen()
        return None if seen is None else seen.output

    def change_output(self, output_id: str, **fields: object) -> None:
        output = self._context.session.project.output(output_id)
        assert output is not None
        try:
            changed = output.changed(**fields)
        except ValueError:
            self._tell("An output has a name, and is 2 to 8192 pixels wide and high, even ones.")
            return
        self._context.session.do(ChangeOutput(output=changed))

    def remove_output(self, output_id: str) -> None:
        self._context.session.do(RemoveOutput(output_id=output_id))

    def _do(self, seen: SeenShot, gate: Gate, label: str, gesture: str = "", track: Track | None = None) -> None:
        self._tell("")
        edit = SetGate(shot_id=seen.shot_id, gate=gate, track=track, label=label)
        self._context.session.do_for_chosen(edit, gesture=_named(gesture, seen) if gesture else None)


def _named(gesture: str, seen: SeenShot) -> str:
    return f"gate {gesture} of {seen.shot_id}"
