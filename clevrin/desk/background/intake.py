"""Bringing takes in, finding those that moved, and making proxies for those that are hard to decode."""

import contextlib
from collections.abc import Iterable
from fractions import Fraction
from pathlib import Path

from PySide6.QtCore import QObject, Signal

from clevrin.core.document import Take
from clevrin.core.document.edits import AddTakes, PlaceTakes
from clevrin.core.errors import CancelledError, ClevrinError
from clevrin.core.media.finding import FileState, Found, find_takes
from clevrin.core.media.index import index_frames
from clevrin.core.media.proxies import ProxyRequest, ProxyShelf, slow_to_seek, wants_proxy
from clevrin.core.media.specials import special_words
from clevrin.core.media.taking_in import files_in, take_in
from clevrin.core.paths import is_file, is_there
from clevrin.core.progress import Progress, step
from clevrin.desk.background.jobs import MAKING_PROXIES, Job, JobRunner, JobState
from clevrin.desk.background.media_watch import MediaWatch
from clevrin.desk.state.session import Session
from clevrin.desk.state.settings import Settings

_MOST_TOLD, _MOST_NAMED = 4, 3
_MOST_RATE = Fraction(60)
"""A reel has this many frames a second at most unless somebody says otherwise: screens show no more."""


class Intake(QObject):
    """Everything by which files become takes, and takes find their files."""

    taken_in = Signal(str)
    """Takes came in: the id of the first one."""
    noted = Signal(str)
    """Words on what is special about takes that came in; their sheets say what becomes of it."""
    told = Signal(str)
    """A sentence about files that could not be brought in or found; empty when all is well."""

    def __init__(
        self, session: Session, jobs: JobRunner, watch: MediaWatch, settings: Settings, proxies: ProxyShelf
    ) -> None:
        super().__init__(session)
        self._session, self._jobs, self._watch = session, jobs, watch
        self._settings, self.proxies = settings, proxies
        self._hopeless: set[str] = set()
        self._slow: dict[str, bool] = {}
        session.takes_changed.connect(self._on_session_takes_changed)
        settings.changed.connect(self._on_settings_changed)

    def add(self, paths: Iterable[Path]) -> None:
        """Brings files and folders in: films become takes, the others are named in a sentence."""
        chosen = list(paths)
        if not chosen:
            return

        def work(progress: Progress) -> tuple[list[Take], list[str], int]:
            files = files_in(chosen)
            takes, troubles = [], []
            for number, path in enumerate(files):
                if progress.cancelled():
                    raise CancelledError
                try:
                    takes.append(take_in(path))
                except ClevrinError as error:
                    troubles.append(str(error))
                progress.report(number + 1, len(files))
            return takes, troubles, len(files)

        def done(result: tuple[list[Take], list[str], int]) -> None:
            takes, troubles, looked_at = result
            if not looked_at:
                troubles.append(f"There is no film in {chosen[0].name}.")
            self._take_over(takes, troubles)

        what = f"Bringing in {chosen[0].name}" if len(chosen) == 1 else f"Bringing in {len(chosen)} files"
        key = ("take in", *map(str, chosen))
        self._jobs.start(Job(key=key, what=what, work=work, done=done, failed=self.told.emit))

    def _take_over(self, takes: list[Take], troubles: list[str]) -> None:
        known = {take.fingerprint: take for take in self._session.project.takes}
        fresh: list[Take] = []
        places: list[tuple[str, str]] = []
        for take in takes:
            there = known.get(take.fingerprint)
            if there is None:
                known[take.fingerprint] = take
                fresh.append(take)
            elif self._watch.of(there) != "there":
                places.append((there.id, take.path))  # a missing take was dropped in again: it is found
            else:
                also = f", as {there.name}" if there.name != take.name else ""
                troubles.append(f"{take.name} is here already{also}.")
        if fresh:
            self._session.do(AddTakes(takes=tuple(fresh), most_rate=_MOST_RATE))
            special = [_what_is_special(fresh), _what_is_quicker(fresh, self._session.project.reel.rate)]
            if any(special):
                self.noted.emit(" · ".join(filter(None, special)))
        if places:
            self._session.do(PlaceTakes(places=tuple(places)))
        more = len(troubles) - _MOST_TOLD
        if fresh or places:
            self.taken_in.emit(fresh[0].id if fresh else places[0][0])
        # Last: what is told is over as soon as something else is done.
        self.told.emit("\n".join(troubles[:_MOST_TOLD] + ([f"And {more} more."] if more > 0 else [])))

    def file_state(self, take: Take) -> FileState:
        """Whether a take's file is there, and still the same."""
        return self._watch.of(take)

    def find(self, take: Take, pointed: Path) -> None:
        """Looks for a take where somebody points, and for all others that are missing beside it."""
        wanted = {t.id: t for t in self._session.project.takes if self._watch.of(t) != "there"} | {take.id: take}

        def work(progress: Progress) -> Found:
            return find_takes(wanted, pointed, progress)

        def done(found: Found) -> None:
            if found.places:
                self._session.do(PlaceTakes(places=found.places))
            self._watch.look(again=True)
            if all(take_id != take.id for take_id, _ in found.places):
                what = "is another film than" if is_file(pointed) else "does not hold"
                also = f" {len(found.places)} other takes were found." if found.places else ""
                self.told.emit(f"{pointed.name} {what} {take.name} as it was brought in.{also}")
            elif found.left:
                self.told.emit(f"{len(found.places)} takes were found; {found.left} are still missing.")
            else:
                self.told.emit("")

        self._jobs.start(
            Job(key=("find", take.id), what=f"Looking for {take.name}", work=work, done=done, failed=self.told.emit)
        )

    # Proxies

    def has_proxy(self, take: Take) -> bool:
        return self.proxies.find(take.fingerprint) is not None

    def making_proxy(self, take: Take) -> JobState | None:
        """How far a take's proxy is; None while none is made."""
        return self._jobs.state_of(("proxy", take.fingerprint))

    def _make_proxies(self) -> None:
        """Makes the proxies that are wanted. Which takes are slow to seek is looked up first, in the background."""
        if not self._settings.value("proxies"):
            return
        threshold = int(self._settings.value("proxy_threshold"))
        unknown = []
        for take in self._session.project.takes:
            wanted = wants_proxy(take.facts, threshold) or self._slow.get(take.fingerprint)
            if wanted is False or take.fingerprint in self._hopeless:
                continue  # most takes end here, and no disk has been asked
            if self.has_proxy(take) or not is_there(Path(take.path)):
                continue
            if wanted:
                self._make_proxy(take)
            else:
                unknown.append(take)
        if unknown:
            self._look_for_slow_ones(unknown)

    def _look_for_slow_ones(self, takes: list[Take]) -> None:
        def work(progress: Progress) -> dict[str, bool]:
            found: dict[str, bool] = {}
            for number, take in enumerate(takes):
                step(progress, number, len(takes))
                if take.fingerprint not in found:
                    with contextlib.suppress(ClevrinError):
                        found[take.fingerprint] = slow_to_seek(take.facts, index_frames(Path(take.path)))
            return found

        def done(found: dict[str, bool]) -> None:
            self._slow.update(found)
            if any(found.values()):
                self._make_proxies()

        looking = Job(
            key=("slow takes",), what="Looking at the takes", work=work, done=done, quiet=True, gives_way=True
        )
        self._jobs.start(looking)

    def _make_proxy(self, take: Take) -> None:
        request = ProxyRequest(path=Path(take.path), fingerprint=take.fingerprint, frames=take.facts.frames)

        def failed(sentence: str) -> None:
            self._hopeless.add(take.fingerprint)
            self.told.emit(f"{take.name} has no proxy: {sentence}")

        self._jobs.start(
            Job(
                key=("proxy", take.fingerprint),
                what=f"Making a proxy of {take.name}",
                work=lambda progress: self.proxies.make(request, progress),
                done=lambda _: None,
                failed=failed,
                background=True,
                turn=MAKING_PROXIES,
            )
        )

    def _on_session_takes_changed(self) -> None:
        self._make_proxies()

    def _on_settings_changed(self, id: str) -> None:
        if id in ("proxies", "proxy_threshold"):
            self._make_proxies()


def _what_is_special(takes: list[Take]) -> str:
    """What is out of the ordinary in films that came in, in a few words: each thing with the takes that have it."""
    having: dict[str, list[str]] = {}
    for take in takes:
        for words in special_words(take.facts):
            having.setdefault(words, []).append(take.name)
    return " · ".join(f"{_listed(names)}: {words}" for words, names in having.items())


def _what_is_quicker(takes: list[Take], rate: Fraction) -> str:
    """That the reel has another rate than films that came in, where they can be slowed down on it."""
    quick = [take.name for take in takes if take.facts.reel_rate >= 2 * rate]
    return (
        f"{_listed(quick)}: quicker than the reel's {float(rate):.4g} frames/s, and can be slowed down" if quick else ""
    )


def _listed(names: list[str]) -> str:
    if len(names) <= _MOST_NAMED:
        return ", ".join(names)
    return f"{', '.join(names[:_MOST_NAMED])} and {len(names) - _MOST_NAMED} more"
