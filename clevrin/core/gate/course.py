"""The course of a gate over a shot: from its poses, what it follows and its counter-zoom to where it is.

A gate at a frame is (x, y, log of its size, turn): its middle in pixels about the picture's centre, its size as a
multiple of the gate that rests, its turn in radians anticlockwise as seen. "Held" is the picture that a hold has
steadied, "source" the one that was shot.
"""

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from clevrin.core.document import Follow, Gate, Pose, Span
from clevrin.core.document.model import Mirror, Turns, mirror_signs
from clevrin.core.gate.easing import Stops, arrived, eased, smooth_step
from clevrin.core.gate.following import FollowProblem, followed_course, smoothed
from clevrin.core.gate.form import GateForm
from clevrin.core.motion.geometry.models import apply, apply_each, similarities_of, summed_up
from clevrin.core.motion.trace.trace import Trace
from clevrin.core.motion.tracks.both_ways import Followed
from clevrin.core.motion.whips import fast_frames

Numbers = NDArray[np.float64]

_SMALLEST = 1 / 64
"""Of the gate that rests: a gate below this shows pixels, not a picture."""
_STEADY_SIZE_S = 0.25
"""Over so long what a followed size says is smoothed: less than any move takes, more than the noise of a frame."""


@dataclass(frozen=True, kw_only=True, eq=False)
class GateCourse:
    """What the course of a shot's gate is found from.

    `form`: the gate that rests; `trace`: the take's, or a still one where nothing asks for it; `followed`: what is
    followed of the take, by the id of its track; `mirror`, `turns`: how the shot is laid on the reel, for places in
    the gate are as seen. `inside`: whether the gate has to stay in the picture; `keep`: how much smaller it may become
    for that, because a hold moves the picture under it.
    """

    gate: Gate
    form: GateForm
    trace: Trace
    followed: Mapping[str, Followed]
    mirror: Mirror = None
    turns: Turns = 0
    inside: bool = True
    keep: float = 1.0

    def __call__(self, span: Span, held: Numbers) -> Numbers:
        """(span.frames, 3, 3): where the gate is on the held picture, as maps of the gate that rests.

        `held` (span.frames, 3, 3) takes the held picture to the source at each frame. All about the picture's centre.
        """
        states = self._posed(span, held)
        sizes = self._sized(span)
        states[:, 2] += sizes
        if self.gate.counter_zoom is not None:
            # As large as it is posed where it is largest: there is no more of the picture than that.
            states[:, 2] -= max(0.0, float(sizes.max()))
        states = self._fitting(states)
        if self.gate.follows:
            states[:, :2] = self._followed(span, held, states)
        elif self.inside:
            states = self._kept_inside(states)
        return maps_of_states(states)

    # Poses

    def _posed(self, span: Span, held: Numbers) -> Numbers:
        level = np.radians(self.gate.level_deg)
        if not self.gate.poses:
            return np.tile([0.0, 0.0, 0.0, level], (span.frames, 1))
        at = np.arange(span.first, span.end, dtype=float)
        poses = self.gate.poses
        homes = [self._on_held(pose, span, held) for pose in poses]
        stops = _stops(poses, np.array(homes))
        states = eased(stops, at)
        shares = arrived(stops, at)
        for number, pose in enumerate(poses):
            if pose.belongs == "scene":
                carried = self._carried(pose, homes[number], span, held)
                states += shares[:, number, None] * (carried - homes[number])
        states[:, 3] += level
        return states

    def _on_held(self, pose: Pose, span: Span, held: Numbers) -> Numbers:
        """The state (4,) on the held picture of a pose, whose middle is a place of the source."""
        row = int(np.clip(pose.frame - span.first, 0, span.frames - 1))
        place = np.array([[pose.x, pose.y]]) - self.trace.centre
        x, y = apply(np.linalg.inv(held[row]), place)[0]
        return np.array([x, y, np.log(pose.width / (2 * self.form.half[0])), np.radians(pose.turn_deg)])

    def _carried(self, pose: Pose, home: Numbers, span: Span, held: Numbers) -> Numbers:
        """The states (span.frames, 4) on the held picture of a pose that stays on its place in the world."""
        frame = int(np.clip(pose.frame, 0, self.trace.frames - 1))
        first, end = min(frame, span.first), max(frame + 1, span.end)
        world = summed_up(self.trace.about_centre[first:end], frame - first)[span.first - first : span.end - first]
        row = int(np.clip(pose.frame - span.first, 0, span.frames - 1))
        there = world @ held[row] @ maps_of_states(home[None])
        states = states_of(np.linalg.inv(held) @ there)
        states[:, 3] = np.unwrap(states[:, 3])
        states[:, 3] += home[3] - states[row, 3]
        return states

    # Sizes

    def _sized(self, span: Span) -> Numbers:
        """(span.frames,): by how much the log of the size changes because of what is followed, or the counter-zoom."""
        sizes = np.zeros(span.frames)
        zoom = self.gate.counter_zoom
        if zoom is not None:
            grown = self._size_of((zoom.track,), span) if zoom.track is not None else self._pushed(span)
            sizes += zoom.amount * grown
        if any(follow.size for follow in self.gate.follows):
            shares = self._shares(span)
            for number, follow in enumerate(self.gate.follows):
                if follow.size:
                    sizes += shares[:, number] * self._size_of(follow.tracks, span)
        return sizes

    def _size_of(self, tracks: tuple[str | None, ...], span: Span) -> Numbers:
        """(span.frames,): the log of how large something is against its mean; as good as known where it is not seen."""
        logs = []
        for each in tracks:
            found = None if each is None else self.followed.get(each)
            if found is not None and found.places.shape[1] > 1:
                corners = found.places[span.first : span.end]
                around = corners - corners.mean(axis=1, keepdims=True)
                with np.errstate(divide="ignore"):
                    logs.append(np.log(np.sqrt((around**2).sum(axis=(1, 2)))))
        if not logs and len(tracks) > 1:
            middles = np.array([self._middle_of(each, span) for each in tracks if each is not None])
            with np.errstate(divide="ignore"):
                logs.append(np.log(np.sqrt(((middles - middles.mean(axis=0)) ** 2).sum(axis=(0, 2)))))
        if not logs:
            return np.zeros(span.frames)
        return self._about_mean(np.array(logs).mean(axis=0), span)

    def _about_mean(self, log: Numbers, span: Span) -> Numbers:
        known = np.array(np.isfinite(log), bool)
        if not known.any():
            return np.zeros(span.frames)
        return self._steadied(np.where(known, log - log[known].mean(), 0.0), known)

    def _pushed(self, span: Span) -> Numbers:
        """(span.frames,): the log of how much nearer the camera is than on the average."""
        steps = np.log(np.maximum(1e-6, self.trace.scale[span.first : span.end])).copy()
        steps[0] = 0.0
        course = np.cumsum(steps)
        return self._steadied(course - course.mean(), np.ones(span.frames, bool))

    def _steadied(self, log: Numbers, known: NDArray[np.bool_]) -> Numbers:
        frames = _STEADY_SIZE_S * float(self.trace.rate) / 4
        return smoothed(log[:, None], known.astype(float), frames)[:, 0]

    # Following

    def _middle_of(self, track: str, span: Span) -> Numbers:
        """(span.frames, 2): where something is on the source about the centre, NaN where that is not known."""
        found = self.followed.get(track)
        if found is None:
            return np.full((span.frames, 2), np.nan)
        return np.asarray(found.places[span.first : span.end].mean(axis=1) - self.trace.centre)

    def subject(self, span: Span) -> Numbers:
        """(span.frames, 2): where what is followed is on the source about its centre; NaN where it is not seen."""
        shares = self._shares(span)
        total = np.zeros((span.frames, 2))
        for number, follow in enumerate(self.gate.follows):
            middle = self._group(follow, span)
            counts = shares[:, number] > 0
            total[counts] += shares[counts, number, None] * middle[counts]
        return total

    def _group(self, follow: Follow, span: Span) -> Numbers:
        """The middle of the box around all that is followed together."""
        middles = np.array([self._middle_of(each, span) for each in follow.tracks])
        return np.asarray((middles.min(axis=0) + middles.max(axis=0)) / 2)

    def _shares(self, span: Span) -> Numbers:
        """(span.frames, follows): how much each of what is followed counts; a handover is a smooth step."""
        at = np.arange(span.first, span.end, dtype=float)
        follows = self.gate.follows
        come = np.ones((span.frames, len(follows)))
        for number, follow in enumerate(follows[1:], start=1):
            length = max(1.0, follow.handover_s * float(self.trace.rate))
            come[:, number] = smooth_step((at - follow.frame) / length)
        # Each counts as far as it has come and none of those after it has.
        shares = come.copy()
        for number in range(len(follows)):
            shares[:, number] *= np.prod(1 - come[:, number + 1 :], axis=1)
        return shares

    def place(self, follow: Follow) -> Numbers:
        """Where in the gate the subject is kept, about its middle, as shares of its size on the picture as shot."""
        x, y = (np.array(follow.place) - 0.5) * mirror_signs(self.mirror)
        for _ in range(self.turns):
            x, y = -y, x
        return np.array([x, y])

    def _followed(self, span: Span, held: Numbers, states: Numbers) -> Numbers:
        shares, subject = self._shares(span), self.subject(span)
        # Through a whip nothing is followed: the camera leaves it on purpose.
        seen = np.isfinite(subject).all(axis=1) & ~fast_frames(self.trace)[span.first : span.end]
        if not seen.any():
            return states[:, :2]
        on_held = apply_each(np.linalg.inv(held), subject[:, None])[:, 0]
        turned = maps_of_states(np.column_stack([np.zeros((span.frames, 2)), states[:, 2:]]))[:, :2, :2]
        places = np.array([self.place(follow) for follow in self.gate.follows])
        offsets = np.einsum("nij,nj->ni", turned, (shares @ places) * 2 * self.form.half)
        wanted = np.where(seen[:, None], on_held - offsets, 0.0)
        # The subject about its place, in the gate's own axes: within its region.
        rooms = shares @ np.array([follow.room for follow in self.gate.follows])
        within = rooms[:, None] * self.form.half
        own = np.linalg.inv(turned)
        region = np.concatenate([own, -own], axis=1)
        asked = np.einsum("nci,ni->nc", region, wanted)
        settled = seen & (shares.max(axis=1) > 1 - 1e-9)
        reach = np.where(settled[:, None], asked + np.concatenate([within, within], axis=1), np.inf)
        rows, limits = self._inside_rows(held, turned)
        calm = float(np.max([follow.calm_s for follow in self.gate.follows]))
        return followed_course(
            FollowProblem(
                wanted=wanted,
                counts=seen.astype(float),
                rows=rows,
                reach=limits,
                region=region,
                within=reach,
                frames=calm * float(self.trace.rate) / 2,
            )
        )

    def _inside_rows(self, held: Numbers, turned: Numbers) -> tuple[Numbers, Numbers]:
        """That the corners of a gate with its middle anywhere are in the source, as rows on the middle (n, 4, 2)."""
        if not self.inside:
            return np.zeros((len(held), 1, 2)), np.ones((len(held), 1))
        a, b, x, y = similarities_of(held).T
        similar = np.stack([np.stack([a, -b], axis=1), np.stack([b, a], axis=1)], axis=1)
        at = self.keep * self.form.corners @ (similar @ turned).transpose(0, 2, 1) + np.stack([x, y], axis=1)[:, None]
        limits = self.form.limits - 1.0
        rows, reach = [], []
        for axis in (0, 1):
            for way in (1.0, -1.0):
                rows.append(way * similar[:, axis])
                reach.append(limits[axis] - (way * at[:, :, axis]).max(axis=1))
        return np.stack(rows, axis=1), np.maximum(np.stack(reach, axis=1), 0.0)

    # Within the picture

    def _fitting(self, states: Numbers) -> Numbers:
        """The states with sizes that can be: no larger than the picture, and not so small that nothing is seen."""
        largest = np.inf
        if self.inside:
            extent = self._extents(np.column_stack([np.zeros((len(states), 3)), states[:, 3]]))
            largest = np.log((self.form.limits / extent).min(axis=1))
        states[:, 2] = np.clip(states[:, 2], np.log(_SMALLEST), np.maximum(largest, np.log(_SMALLEST)))
        return states

    def _kept_inside(self, states: Numbers) -> Numbers:
        """The states moved so that no corner leaves the picture."""
        room = np.maximum(0.0, self.form.limits - self.keep * self._extents(states))
        states[:, :2] = np.clip(states[:, :2], -room, room)
        return states

    def _extents(self, states: Numbers) -> Numbers:
        """(n, 2): how far the corners are from the middle, across and down."""
        x, y = self.form.half[:, None] * np.exp(states[:, 2])
        c, s = np.abs(np.cos(states[:, 3])), np.abs(np.sin(states[:, 3]))
        return np.stack([c * x + s * y, s * x + c * y], axis=1)


def _stops(poses: tuple[Pose, ...], values: Numbers) -> Stops:
    first = np.array([float(pose.frame) for pose in poses])
    following = np.append(first[1:], np.inf)
    last = np.minimum(np.array([float(pose.last) for pose in poses]), following - 1)
    return Stops(
        values=values,
        first=first,
        last=np.maximum(first, last),
        arrive=np.array([pose.arrive for pose in poses]),
        leave=np.array([pose.leave for pose in poses]),
    )


def maps_of_states(states: Numbers) -> Numbers:
    """States (n, 4) as maps (n, 3, 3) of the gate that rests."""
    x, y, size, turn = states.T
    a, b = np.exp(size) * np.cos(turn), -np.exp(size) * np.sin(turn)  # y points down
    maps = np.zeros((len(states), 3, 3))
    maps[:, 0] = np.column_stack([a, -b, x])
    maps[:, 1] = np.column_stack([b, a, y])
    maps[:, 2, 2] = 1.0
    return maps


def states_of(maps: Numbers) -> Numbers:
    """The states (n, 4) whose similarity agrees with maps (n, 3, 3) at the gate's middle."""
    a, b, x, y = similarities_of(maps).T
    return np.column_stack([x, y, np.log(np.hypot(a, b)), -np.arctan2(b, a)])
