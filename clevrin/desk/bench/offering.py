"""What is offered for the shot and the cut that are looked at: told, and taken only where somebody says so."""

from collections.abc import Iterable

from PySide6.QtCore import QObject, QTimer, Signal

from clevrin.core.byte_cache import ByteCache
from clevrin.core.document import Project, Shot
from clevrin.core.document.edits import Edit
from clevrin.core.errors import ClevrinError
from clevrin.core.join.balancing import Balance, balance_at_cut
from clevrin.core.join.survey import Library, SurveyedCut, survey_cut
from clevrin.core.offering import (
    FirstReel,
    Known,
    Offer,
    OfferKind,
    best_first,
    cut_offers,
    first_reel,
    shot_offers,
    wanted_takes,
)
from clevrin.core.pace import Placed, placed_shot, placed_shots
from clevrin.core.progress import Progress, step
from clevrin.core.render.sources import Sources
from clevrin.desk.background.jobs import CHARTING, Job
from clevrin.desk.background.known_moves import why_not_yet
from clevrin.desk.bench.context import Context
from clevrin.desk.bench.shot_movers import ShotMovers

_OF_CUTS: tuple[OfferKind, ...] = ("match", "make", "balance")
_CALM_MS = 120
"""While something is dragged nothing is offered anew: with 300 shots looking takes 30 ms."""
_LEAST_S = 0.3
"""A cut that would leave less of one of its shots is not made with all others."""
Surveyed = tuple[SurveyedCut, Balance | None]


class Offering(QObject):
    """The offers of the chosen shot, best first; `taken` does one of them, or all of its kind on the reel.

    Those of a shot are there as soon as its take is measured. Cuts are looked at in Join alone, in the background.
    """

    changed = Signal()

    def __init__(self, context: Context, parent: QObject) -> None:
        super().__init__(parent)
        self._context = context
        self._step = ""
        self._offers: tuple[Offer, ...] = ()
        self._at = 0
        self._movers = ShotMovers(context, self)
        self._soon = QTimer(self, singleShot=True, interval=_CALM_MS)
        self._soon.timeout.connect(self._look)
        context.session.project_changed.connect(self._soon.start)
        context.session.selection_changed.connect(self._soon.start)
        context.measurements.measured.connect(lambda *_: self._soon.start())

    def enter(self, step: str) -> None:
        """Another step is worked in."""
        if step != self._step:
            self._step = step
            self._soon.start()

    @property
    def offers(self) -> tuple[Offer, ...]:
        """All that is offered, the one that is told first."""
        return (*self._offers[self._at :], *self._offers[: self._at])

    @property
    def first(self) -> Offer | None:
        """The one that is told."""
        return self.offers[0] if self._offers else None

    def go_on(self) -> None:
        """Tells the next one."""
        if self._offers:
            self._at = (self._at + 1) % len(self._offers)
            self.changed.emit()

    def alike(self, offer: Offer) -> int:
        """How many there are of its kind on the reel, as far as that is known without looking at films."""
        if offer.kind == "reel":
            return 1
        if offer.kind in _OF_CUTS:
            return len(self._context.session.project.reel.shots) - 1
        return sum(1 for _ in self._of_shots(offer.kind))

    def take(self, offer: Offer | None = None) -> None:
        """Does what is offered; without one, the one that is told."""
        offer = offer or self.first
        session = self._context.session
        if offer is not None and offer.kind == "reel":
            self._make_first_reel()
            return
        edit = None if offer is None else offer.make(session.project)
        if offer is not None and edit is not None and session.do(edit):
            self._context.notices.tell(f"Done: {offer.words}.")

    def take_all(self, offer: Offer | None = None) -> None:
        """Does all of its kind on the reel, as one step."""
        offer = offer or self.first
        if offer is None:
            return
        if offer.kind == "reel":
            self.take(offer)
        elif offer.kind in _OF_CUTS:
            self._take_all_cuts(offer.kind)
        else:
            self._take(list(self._of_shots(offer.kind)))

    # What there is

    def _look(self) -> None:
        session = self._context.session
        shot = session.shot
        found = (
            self._of_takes()
            if shot is None
            else [*self._of_shot(session.project, placed_shot(session.project, shot.id)), *self._of_cut(shot)]
        )
        before = [_named(offer) for offer in self._offers]
        self._offers = best_first(found, self._step)
        if before != [_named(offer) for offer in self._offers]:
            self._at = 0  # what is best now is told, whatever was gone on to among others
        self.changed.emit()

    def _of_takes(self) -> list[Offer]:
        """A first reel, where there is none yet and all takes are measured."""
        project, measurements = self._context.session.project, self._context.measurements
        takes = wanted_takes(project)
        if project.reel.shots or not takes or why_not_yet(measurements, takes) or any(map(measurements.missing, takes)):
            return []
        one = len(takes) == 1
        return [
            Offer(
                kind="reel",
                step="log",
                shot_id="",
                words=f"Put {takes[0].name} on the reel" if one else f"Make a first reel of {len(takes)} takes",
                price="held as it is worth"
                if one
                else "cut where they agree, joined by what fits, held as it is worth",
                worth=0.8,
                make=lambda _: None,
            )
        ]

    def _make_first_reel(self) -> None:
        session, store = self._context.session, self._context.measurements.store
        moves, verdict = self._context.known_moves, self._context.measurements.verdict
        project = session.project

        def work(progress: Progress) -> FirstReel:
            with Sources.of(store, light=True) as sources:
                library = moves.library(sources, progress)
                return first_reel(project, library, verdict, lambda: step(progress, 0, 0))

        def done(found: FirstReel) -> None:
            if session.project.reel.shots or session.project.takes != project.takes:
                return  # somebody has made one meanwhile, or has other takes
            if session.do(found.edit):
                session.choose_shot(found.edit.shots[0].id)
                self._context.notices.tell(f"A first reel: {found.words}.")

        self._context.jobs.restart(
            Job(
                key=("first reel",),
                what="Making a first reel",
                work=work,
                done=done,
                failed=self._context.notices.trouble,
            )
        )

    def _of_shot(self, project: Project, placed: Placed | None) -> tuple[Offer, ...]:
        measurements = self._context.measurements
        if placed is None or measurements.missing(placed.take):
            return ()
        movers = self._movers.known(placed.take, placed.shot.span)
        known = Known(
            verdict=measurements.verdict(placed.take),
            movers=() if movers is None else movers.movers,
        )
        return shot_offers(project, placed, known)

    def _of_shots(self, kind: OfferKind) -> Iterable[Offer]:
        project = self._context.session.project
        for placed in placed_shots(project):
            yield from (offer for offer in self._of_shot(project, placed) if offer.kind == kind)

    def _of_cut(self, shot: Shot) -> tuple[Offer, ...]:
        """What is offered for the cut behind a shot, once it was looked at; asks for that."""
        project = self._context.session.project
        at = project.shot_index(shot.id)
        if self._step != "join" or at + 1 >= len(project.reel.shots):
            return ()
        takes = [project.take(each.take_id) for each in project.reel.shots[at : at + 2]]
        if why_not_yet(self._context.measurements, takes) or any(map(self._context.measurements.missing, takes)):
            return ()
        moves, store = self._context.known_moves, self._context.measurements.store
        known: Surveyed | None = store.remembered.get(_cut_key(project, at))
        if known is not None:
            return cut_offers(project, *known)

        def work(progress: Progress) -> Surveyed:
            with Sources.of(store, light=True) as sources:
                return _surveyed(project, at, moves.library(sources, progress), store.remembered)

        self._context.jobs.restart(
            Job(
                key=("offered cut",),
                what="Looking at the cut",
                work=work,
                done=lambda _: self._soon.start(),
                failed=lambda _: None,  # the bench tells it of its own list
                quiet=True,
                background=True,
                turn=CHARTING,
            )
        )
        return ()

    # What is taken

    def _take_all_cuts(self, kind: OfferKind) -> None:
        """Looks at all cuts, and does what is offered there of a kind."""
        session, moves, store = self._context.session, self._context.known_moves, self._context.measurements.store
        project = session.project
        missing = why_not_yet(self._context.measurements, (project.take(s.take_id) for s in project.reel.shots))
        if missing:
            self._context.notices.trouble(missing)
            return

        def work(progress: Progress) -> list[Offer]:
            found: list[Offer] = []
            with Sources.of(store, light=True) as sources:
                library = moves.library(sources, progress)
                for number in range(len(project.reel.shots) - 1):
                    found += cut_offers(project, *_surveyed(project, number, library, store.remembered))
                    step(progress, number + 1, len(project.reel.shots) - 1)
            return [offer for offer in found if offer.kind == kind]

        self._context.jobs.restart(
            Job(
                key=("offered cuts",),
                what="Looking at all cuts",
                work=work,
                done=self._take,
                failed=self._context.notices.trouble,
            )
        )

    def _take(self, offers: list[Offer]) -> None:
        session = self._context.session
        done = 0
        with session.together(f"{offers[0].words}, on the whole reel" if offers else ""):
            for offer in offers:
                edit = offer.make(session.project)
                if edit is not None and self._leaves_enough(edit, offer) and session.do(edit):
                    done += 1
        left = len(offers) - done
        words = f"Done for {done}." if done else "There is nothing of that kind on the reel."
        rest = f" {left} left as they are: too little of a shot would stay." if left else ""
        self._context.notices.tell(words + rest)

    def _leaves_enough(self, edit: Edit, offer: Offer) -> bool:
        """Whether something is left of both shots: one match may take what another one needs."""
        project = self._context.session.project
        try:
            after = edit.apply(project)
            row = placed_shots(after)
        except (ClevrinError, ValueError):
            return False
        at = after.shot_index(offer.shot_id)
        least = _LEAST_S * float(after.reel.rate)
        return all(placed.frames >= least for placed in row[at : at + 2])


def _surveyed(project: Project, at: int, library: Library, remembered: ByteCache) -> Surveyed:
    """A cut, and what would balance the colours of its two sides; remembered."""

    def looked_at() -> Surveyed:
        before, after = project.reel.shots[at : at + 2]
        balance = balance_at_cut((before, after), lambda take_id: library.film(project.take(take_id)))
        return survey_cut(project, at, library), balance

    found: Surveyed = remembered.once(_cut_key(project, at), looked_at)
    return found


def _cut_key(project: Project, at: int) -> tuple[object, ...]:
    """All that is seen of a cut depends on: the shots about it, how their takes are measured, rate and beats."""
    reel, about = project.reel, project.reel.shots[max(0, at - 1) : at + 3]
    measured = tuple(project.take(shot.take_id).measured_as for shot in about)
    return "offered cut", about, measured, reel.rate, reel.markers


def _named(offer: Offer) -> tuple[str, str, str]:
    return offer.kind, offer.shot_id, offer.words
