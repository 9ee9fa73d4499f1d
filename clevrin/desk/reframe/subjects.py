"""What moves by itself in the chosen shots, followed or held as soon as it has been looked for."""

from collections.abc import Callable
from dataclasses import dataclass, replace

from PySide6.QtCore import QObject, Signal

from clevrin.core.document import Anchor, Follow, Gate, Placement, Shot, Track
from clevrin.core.document.edits import AnchorShot, Edit, SetGate
from clevrin.core.motion.movers import Mover
from clevrin.desk.bench.context import Context
from clevrin.desk.bench.shot_movers import ShotMovers

Way = Callable[[Shot, Track], Edit]
"""What is done with the track of a shot's subject."""


@dataclass(frozen=True, kw_only=True)
class _Wanted:
    """What is done, with which of a shot's movers (1: the one that moves most), under what words, in which shots."""

    way: Way
    which: int
    label: str
    shot_ids: tuple[str, ...]


def followed(gate: Gate, shot: Shot, frame: int, track_id: str) -> Gate:
    """A gate that follows a track from its first frame on or, where one is followed already, from `frame` on."""
    follows = gate.follows
    last = follows[-1] if follows else None
    if last is None or frame <= last.frame or frame <= shot.span.first:
        terms = {"frame": 0} if len(follows) < 2 else {"frame": follows[-1].frame}
        one = (last or Follow(tracks=(track_id,))).changed(tracks=(track_id,), **terms)
        return gate.changed(follows=(*follows[:-1], one))
    return gate.changed(follows=(*follows, last.changed(tracks=(track_id,), frame=frame)))


class Subjects(QObject):
    """Where movers are still looked for it waits for them; when all of them are known, it is one step."""

    done = Signal()
    """What was waited for has been done."""

    def __init__(self, context: Context, movers: ShotMovers, output: Callable[[], str | None], parent: QObject) -> None:
        """`output`: through which one the reel is looked at."""
        super().__init__(parent)
        self._context, self._movers, self._output = context, movers, output
        self._wanted: _Wanted | None = None
        movers.changed.connect(lambda _: self._go_on())
        context.measurements.measured.connect(lambda _: self._go_on())
        context.measurements.failed.connect(lambda take_id, _: self._leave_out(take_id))
        context.session.opened.connect(self._forget)

    @property
    def waiting(self) -> bool:
        """Whether something is still looked for that will be followed or held."""
        return self._wanted is not None

    def follow(self, which: int = 1) -> None:
        """Has the gate follow what moves most in each chosen shot, or what moves second most and so on.

        As by a click: where something is followed already, from the frame that is looked at on.
        """
        output = self._output()

        def follows(shot: Shot, track: Track) -> Edit:
            gate = followed(shot.gate(output), shot, self._context.player.frame, track.id)
            return SetGate(shot_id=shot.id, gate=gate, track=track, label="Follow")

        self._begin(follows, which, "Follow what moves")

    def hold(self, which: int = 1) -> None:
        """Holds each chosen shot to it."""

        def held(shot: Shot, track: Track) -> Edit:
            anchor = (shot.hold.anchor or Anchor(track_id=track.id)).changed(track_id=track.id)
            return AnchorShot(shot_id=shot.id, track=track, hold=shot.hold.changed(how="anchor", anchor=anchor))

        self._begin(held, which, "Hold what moves")

    def _begin(self, way: Way, which: int, label: str) -> None:
        ids = tuple(shot.id for shot in self._context.session.chosen)
        self._wanted = _Wanted(way=way, which=which, label=label, shot_ids=ids)
        self._go_on()
        if self.waiting:
            self._context.notices.tell("Looking for what moves by itself: it is followed as soon as it is found.")

    def _go_on(self) -> None:
        if self._wanted is None:
            return
        session, wanted = self._context.session, self._wanted
        shots = [shot for shot in session.project.reel.shots if shot.id in wanted.shot_ids]
        found = [self._movers.of(shot) for shot in shots]  # asks for all of them at once
        if any(each is None for each in found):
            return
        self._wanted = None
        none_in = []
        with session.together(wanted.label):
            for shot, seen in zip(shots, found, strict=True):
                movers = () if seen is None else seen.movers
                if wanted.which > len(movers):
                    none_in.append(session.project.take(shot.take_id).name)
                else:
                    session.do(wanted.way(shot, self._track(shot, movers[wanted.which - 1])))
        if none_in:
            self._context.notices.trouble(
                f"{'So much does not move' if wanted.which > 1 else 'Nothing moves'} by itself in "
                f"{', '.join(none_in)}: click in the picture what is to be followed."
            )
        if len(none_in) < len(shots):
            self._context.notices.tell(f"{wanted.label}: done in {len(shots) - len(none_in)} of {len(shots)} shots.")
        self.done.emit()

    def _track(self, shot: Shot, mover: Mover) -> Track:
        """The take's own track of it, where it is followed there already."""
        take = self._context.session.project.take(shot.take_id)
        placed = Placement(frame=mover.frame, places=(mover.middle,))
        known = next((track for track in take.tracks if track.placed == (placed,)), None)
        return known or Track(name=f"subject {len(take.tracks) + 1}", kind="point", placed=(placed,))

    def _leave_out(self, take_id: str) -> None:
        """A take that could not be measured is waited for no longer; that it could not, its bench says."""
        if self._wanted is not None:
            shots = self._context.session.project.reel.shots
            gone = {shot.id for shot in shots if shot.take_id == take_id}
            left = tuple(each for each in self._wanted.shot_ids if each not in gone)
            self._wanted = replace(self._wanted, shot_ids=left)
            self._go_on()

    def _forget(self) -> None:
        self._wanted = None
