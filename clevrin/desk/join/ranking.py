"""The ranked pairs of frames of two shots that follow each other, found in the background and dropped when stale."""

from collections.abc import Hashable

from PySide6.QtCore import QObject, Signal

from clevrin.core.document import Shot
from clevrin.core.join import Proposal, rank_pairs
from clevrin.core.join.match import side_of_shot
from clevrin.core.pace import placed_shots, played_rate
from clevrin.core.progress import Progress
from clevrin.core.render.sources import Sources
from clevrin.desk.background.jobs import Job
from clevrin.desk.background.known_moves import KnownMoves, why_not_yet
from clevrin.desk.bench.context import Context

Pair = tuple[Shot, Shot]


class PairRanking(QObject):
    """Ranks one pair of shots at a time, the one that was asked for last."""

    ranked = Signal(object)
    """The proposals, best first."""
    said = Signal(str)
    """What is to be read where they would be; "" for nothing."""
    failed = Signal(str)

    def __init__(self, context: Context, known: KnownMoves, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._context, self._known = context, known
        self._for: Hashable = None

    def rank(self, pair: Pair) -> None:
        """Starts, unless what there is belongs to this pair already."""
        project, measurements = self._context.session.project, self._context.measurements
        at = project.shot_index(pair[0].id)
        placed = placed_shots(project)[at : at + 2]
        takes = tuple(project.take(shot.take_id) for shot in pair)
        waiting = why_not_yet(measurements, takes)
        if waiting:
            self.said.emit(waiting)
            return
        key = self._what_decides(pair)
        if key == self._for:
            return
        self._for = key
        self.said.emit("Matching the two takes.")
        alone, known, store = self._alone(pair), self._known, measurements.store

        def work(progress: Progress) -> tuple[Proposal, ...]:
            with Sources.of(store, light=True) as sources:
                library = known.library(sources, progress)
                sides = (
                    side_of_shot(library.moves(each.take), each, leaving=leaving, alone=free)
                    for each, leaving, free in zip(placed, (True, False), alone, strict=True)
                )
                return rank_pairs(*sides, turned=True)

        def done(proposals: tuple[Proposal, ...]) -> None:
            if key != self._for:
                return  # of another pair, or of this one as it was
            self.said.emit("" if proposals else "No moves of these two takes agree.")
            self.ranked.emit(proposals)

        self._context.jobs.restart(
            Job(key=("rank",), what="Matching", work=work, done=done, failed=self.failed.emit, quiet=True)
        )

    def is_of(self, pair: Pair | None) -> bool:
        """Whether what was ranked last is of this pair as it is."""
        return pair is not None and self._for is not None and self._for == self._what_decides(pair)

    def drop_unless(self, pair: Pair | None) -> bool:
        """Forgets what was ranked for another pair, or for this one as it was; whether there was anything."""
        if self._for is None or self.is_of(pair):
            return False
        self._for = None
        return True

    def _alone(self, pair: Pair) -> tuple[bool, bool]:
        """Whether the other end of either shot is not joined to anything."""
        project = self._context.session.project
        index = project.shot_index(pair[0].id)
        return index == 0, index + 2 == len(project.reel.shots)

    def _what_decides(self, pair: Pair) -> Hashable:
        """What decides which proposals there are: the span's other ends and the directions of play, not the cut."""
        project = self._context.session.project
        takes = tuple(project.take(shot.take_id) for shot in pair)
        return (
            *(shot.id for shot in pair),
            *((take.fingerprint, take.facts.frames, played_rate(take, project.reel.rate)) for take in takes),
            self._alone(pair),
            pair[0].span.first if not pair[0].reverse else pair[0].span.end,
            pair[1].span.end if not pair[1].reverse else pair[1].span.first,
            *(shot.pace.points for shot in pair),
            pair[0].turns,
        )
