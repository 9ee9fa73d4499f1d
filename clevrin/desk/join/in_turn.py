"""Cuts that were found, taken one after the other: pressed again, the next best is taken."""

from collections.abc import Callable, Hashable
from typing import Generic, TypeVar

from clevrin.core.document import Shot
from clevrin.core.document.edits import JoinShots
from clevrin.core.join.whip_cut import cut_at
from clevrin.core.pace import Placed, placed_shots
from clevrin.core.progress import Progress
from clevrin.core.render.sources import Sources
from clevrin.desk.background.jobs import Job
from clevrin.desk.bench.context import Context
from clevrin.desk.join.page import chosen_pair

T = TypeVar("T")
Pair = tuple[Shot, Shot]


class CutsInTurn(Generic[T]):
    """Looks for places to cut the chosen pair in the background, and takes the best; asked again, the next one."""

    def __init__(
        self,
        context: Context,
        what: str,
        label: str,
        frames_of: Callable[[T, Pair], tuple[int, int]],
        tell: Callable[[str], None],
        then: Callable[[str, str], None] | None = None,
    ) -> None:
        """`frames_of`: the frames of both takes at which to cut; `tell` is given what came of it.

        `then` is called behind it with these words, and a gesture: what it does with that belongs to the same step.
        """
        self._context, self._what, self._label = context, what, label
        self._frames_of, self._tell, self._then = frames_of, tell, then
        self._asked: Hashable = None
        self._found: tuple[T, ...] = ()
        self._number = 0

    def take_next(
        self,
        asked: Hashable,
        find: Callable[[str, Sources, Progress], tuple[T, ...]],
        words: Callable[[T], str],
        nothing: str,
    ) -> None:
        """`asked`: what it depends on beside the pair; `find` is given the outgoing shot's id.

        `nothing`: the sentence where none is found.
        """
        session, pair = self._context.session, chosen_pair(self._context.session)
        if pair is None:
            return
        shot_id, store = pair[0].id, self._context.measurements.store
        whole = shot_id, pair[1].id, asked, *((shot.hold, shot.gates, shot.mirror) for shot in pair)
        if whole == self._asked and self._found:
            self._number += 1
            self._take(words)
            return

        def work(progress: Progress) -> tuple[T, ...]:
            with Sources.of(store, light=True) as sources:
                return find(shot_id, sources, progress)

        def done(found: tuple[T, ...]) -> None:
            now = chosen_pair(session)
            if now is None or (now[0].id, now[1].id) != whole[:2]:
                return
            self._asked, self._found, self._number = whole, found, 0
            if found:
                self._take(words)
            else:
                self._tell(nothing)

        self._tell("")
        key = ("cuts in turn", self._label)
        self._context.jobs.restart(Job(key=key, what=self._what, work=work, done=done, failed=self._tell))

    def _take(self, words: Callable[[T], str]) -> None:
        session, pair = self._context.session, chosen_pair(self._context.session)
        assert pair is not None
        number = self._number % len(self._found)
        best = self._found[number]
        lengths = [session.project.take(shot.take_id).facts.frames for shot in pair]
        outgoing, incoming = cut_at(pair, self._frames_of(best, pair), (lengths[0], lengths[1]))
        session.end_gesture()  # pressed again it is another step
        gesture = None if self._then is None else f"{self._label} {outgoing.id}"
        session.do(JoinShots(outgoing=outgoing, incoming=incoming, label=self._label), gesture=gesture)
        shown = outgoing.id, incoming.id
        left = " and ".join(_left(each) for each in placed_shots(session.project) if each.shot.id in shown)
        said = f"{words(best)} ({number + 1} of {len(self._found)}). This leaves {left}."
        self._tell(said)
        if self._then is not None and gesture is not None:
            self._then(said, gesture)


def _left(placed: Placed) -> str:
    return f"{float(placed.frames / placed.reel_rate):.1f} s of {placed.take.name}"
