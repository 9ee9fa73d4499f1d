"""What the Reframe bench shows of a shot: the project through an output, and where the gate is at each frame."""

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from clevrin.core.document import Gate, Pose, Project, Shot, Take
from clevrin.core.document.model import Fit
from clevrin.core.gate.course import states_of
from clevrin.core.gate.form import GateForm
from clevrin.core.hold import HeldPath
from clevrin.core.hold.held import placed
from clevrin.core.motion.geometry.models import apply, apply_each, pixel_corners
from clevrin.core.render.planning.shot_map import reel_map
from clevrin.core.render.resolving.hold_request import shape_of

Numbers = NDArray[np.float64]


@dataclass(frozen=True, kw_only=True, eq=False)
class SeenShot:
    """A shot through an output (None: the reel's own); `path` None while it is as it was shot, or not solved yet.

    `through` is the project as that output shows it.
    """

    project: Project
    through: Project
    output: str | None
    shot_id: str
    path: HeldPath | None

    @property
    def shot(self) -> Shot:
        """The shot with the gate of this output as its own."""
        return self.through.shot(self.shot_id)

    @property
    def gate(self) -> Gate:
        """The gate as the document has it."""
        return self.project.shot(self.shot_id).gate(self.output)

    @property
    def take(self) -> Take:
        return self.project.take(self.shot.take_id)

    @property
    def size(self) -> tuple[int, int]:
        return self.through.reel.size

    @property
    def whole(self) -> float:
        """The width of the gate that rests, in pixels of the source."""
        return 2 * float(self.form.half[0])

    @property
    def fit(self) -> Fit:
        return self.through.reel.fit_of(self.shot)

    @property
    def form(self) -> GateForm:
        """The gate that rests."""
        return GateForm.of(self._source, shape_of(self.shot, self.size, self.fit))

    def corners(self, frame: int) -> Numbers:
        """(4, 2): the corners of the gate on the source at a frame, round from its top left."""
        resting = self.form.corners + self._centre
        return resting if self.path is None else apply(self.path.at(frame), resting)

    @cached_property
    def states(self) -> Numbers:
        """(frames, 4): of each frame of the shot the gate's middle, its width in pixels, and its turn in degrees.

        On the picture as it is held: what the hold does to it is not in it.
        """
        span = self.shot.span
        if self.path is None or self.path.gate is None:
            return np.tile([*self._centre, self.whole, 0.0], (span.frames, 1))
        x, y, size, turn = states_of(self.path.gate[self.path.rows(span)]).T
        return np.column_stack([np.column_stack([x, y]) + self._centre, self.whole * np.exp(size), np.degrees(turn)])

    def state(self, frame: int) -> Numbers:
        """The same of one frame of the take: (4,)."""
        span = self.shot.span
        return np.asarray(self.states[int(np.clip(frame - span.first, 0, span.frames - 1))])

    def trail(self, frame: int) -> Numbers:
        """(frames, 2): the gate's middle at every frame of the shot, on the source as it is at one of them."""
        places = self.states[:, :2]
        gate = None if self.path is None else self.path.gate_at(frame)
        if self.path is None or gate is None:
            return places
        return apply(self.path.at(frame) @ np.linalg.inv(placed(gate, *self._source)), places)

    def pose_here(self, frame: int) -> Pose:
        """The gate at a frame as a pose: the one that stands there, or a new one that changes nothing."""
        found = self.gate.pose_at(frame)
        if found is not None:
            return found
        x, y = self.corners(frame).mean(axis=0)
        _, _, width, turn = self.state(frame)
        turn_deg = round(float(turn) - self.gate.level_deg, 3) + 0.0  # never -0
        return Pose(frame=frame, x=float(x), y=float(y), width=float(width), turn_deg=turn_deg)

    def source_px(self) -> Numbers:
        """(frames,): pixels of the source for each pixel of the output."""
        span, shot = self.shot.span, self.shot
        maps = reel_map(self._source, self.size, self.size, shot.mirror, shot.turns, self.fit)[None]
        if self.path is not None:
            maps = self.path.gates(span) @ maps
        quads = np.broadcast_to(apply_each(maps, pixel_corners(*self.size)), (span.frames, 4, 2))
        return np.asarray(np.hypot(*(quads[:, 1] - quads[:, 0]).T) / self.size[0])

    @property
    def _source(self) -> tuple[int, int]:
        return self.take.facts.width, self.take.facts.height

    @property
    def _centre(self) -> Numbers:
        return (np.array(self._source) - 1) / 2
