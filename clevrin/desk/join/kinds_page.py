"""All kinds for the chosen cut, each as a small moving picture of the very two shots, the one that fits best first."""

import numpy as np
from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QImage
from PySide6.QtWidgets import QWidget

from clevrin.core.document import Join, Project
from clevrin.core.document.joining import WHIP
from clevrin.core.document.pacing import Shutter
from clevrin.core.join.between import made_join
from clevrin.core.join.kinds import goes_on
from clevrin.core.join.survey import SurveyedCut, survey_cut
from clevrin.core.media.frame_memory import FrameMemory
from clevrin.core.offering import edit_to
from clevrin.core.pace import placed_shots
from clevrin.core.progress import Progress, step
from clevrin.core.render.measured.measurement_store import MeasurementStore
from clevrin.core.render.planning.shot_map import fitted_size
from clevrin.core.render.sources import Sources
from clevrin.desk.background.jobs import Job
from clevrin.desk.background.known_moves import KnownMoves, why_not_yet
from clevrin.desk.background.plans import Making
from clevrin.desk.bench.context import Context
from clevrin.desk.join.kind_tiles import PICTURE, KindTiles, Tile
from clevrin.desk.join.page import JoinPage, chosen_pair
from clevrin.desk.playback.programmes import reel_plans
from clevrin.desk.widgets.pixels import image_of
from clevrin.desk.widgets.sheet import rolled

_PLAIN_JOIN = Join()
_KEPT_BYTES = 96 * 1024 * 1024
_FRAMES, _AROUND = 12, 6
"""Pictures of a tile, and how many frames of the reel a cut without a length is shown with on either side."""


class KindsPage(JoinPage):
    """A tile for each kind; a click takes it, Enter takes the one that is pointed at, else the one that fits best."""

    about_cuts_of_the_reel = True
    _found_one = Signal(object, object)
    _drawn = Signal(object, str, object)

    def __init__(self, context: Context, known: KnownMoves, parent: QWidget | None = None) -> None:
        super().__init__(context, known, parent)
        self.tiles = self.chooser = KindTiles()
        self.tiles.kind_chosen.connect(self._take)
        self.tiles.pointed_at.connect(self._on_tiles_pointed_at)
        self.column.addWidget(rolled(self.tiles), 1)
        self.column.addWidget(self.note)
        self.found: SurveyedCut | None = None
        self._for: tuple | None = None
        self._leave = _PLAIN_JOIN
        queued = Qt.ConnectionType.QueuedConnection
        self._found_one.connect(self._on_found_one, queued)
        self._drawn.connect(self._on_drawn, queued)

    def refresh(self) -> None:
        project, pair = self.context.session.project, chosen_pair(self.context.session)
        if pair is None:
            self._for, self.found = None, None
            self.tiles.show_tiles((), "")
            self.say("A cut needs two shots on the reel.")
            return
        missing = why_not_yet(self.context.measurements, (project.take(shot.take_id) for shot in pair))
        if missing:
            self.say(missing)
            return
        # What a kind looks like does not depend on which one is chosen, but for the settings of that one.
        leave = pair[0].leave
        at = project.shot_index(pair[0].id)
        key = pair[0].id, pair[0].changed(leave=_PLAIN_JOIN), pair[1].changed(leave=_PLAIN_JOIN), project.takes
        if key == self._for:
            self.tiles.show_tiles(self.tiles.tiles, leave.kind)
            if leave != self._leave and self.found is not None:
                self._draw(key, project, at, (leave.kind,))
            self._leave = leave
            return
        if self._for is None or self._for[0] != pair[0].id:
            self.tiles.drop_pictures()
        self._for, self._leave, self.found = key, leave, None
        self._draw(key, project, at, ())

    def _draw(self, key: tuple, project: Project, at: int, kinds: tuple[str, ...]) -> None:
        """Draws kinds in the background; none named: all of them, the one that fits best first."""
        known, store, found = self.known, self.context.measurements.store, self.found

        def work(progress: Progress) -> None:
            with sources_for_kinds(store) as sources:
                cut = found or survey_cut(project, at, known.library(sources, progress))
                self._found_one.emit(key, cut)
                drawn = [each.kind.id for each in cut.fits if not kinds or each.kind.id in kinds]
                for number, kind in enumerate(drawn):
                    self._drawn.emit(key, kind, kind_pictures(project, cut, kind, sources, progress))
                    step(progress, number + 1, len(drawn))

        name = ("kinds", *kinds)
        self.context.jobs.restart(
            Job(key=name, what="Drawing kinds", work=work, done=lambda _: None, failed=self.say, quiet=True)
        )

    def _on_found_one(self, key: tuple, found: SurveyedCut) -> None:
        if key != self._for:
            return
        self.found = found
        matched = found.proposal.score if found.proposal is not None else 0.0
        tiles = [
            Tile(id=each.kind.id, score=matched if each.kind.id == WHIP else each.fit.score, why=each.fit.why)
            for each in found.fits
            if each.kind.id != WHIP or found.proposal is not None
        ]
        if found.agrees:  # what was shot is better than what is made
            tiles.sort(key=lambda tile: tile.id != WHIP)
        self.tiles.show_tiles(tuple(tiles), self._now())
        self._on_tiles_pointed_at(self.tiles.pointed)

    def _on_drawn(self, key: tuple, kind: str, pictures: list[QImage]) -> None:
        if key == self._for:
            self.tiles.show_pictures(kind, pictures)

    def _now(self) -> str:
        """The kind by which the cut is joined."""
        pair = chosen_pair(self.context.session)
        return "" if pair is None else pair[0].leave.kind

    def _on_tiles_pointed_at(self, kind: str) -> None:
        tiles = {tile.id: tile for tile in self.tiles.tiles}
        about = tiles.get(kind or self._best())
        self.say("" if about is None else f"{about.id}: {about.why}")
        self.take_changed.emit()

    def _best(self) -> str:
        return self.tiles.tiles[0].id if self.tiles.tiles else ""

    # What is taken

    @property
    def take_words(self) -> str:
        return f"Make it a {self.tiles.pointed or self._best()}   Enter" if self.tiles.tiles else "No kinds yet"

    @property
    def can_take(self) -> bool:
        return self.found is not None and (self.tiles.pointed or self._best()) not in ("", self._now())

    def take(self) -> None:
        self._take(self.tiles.pointed or self._best())

    def _take(self, kind: str) -> None:
        if self.found is None or self.found.shot_id != self.chosen_shot_id():
            return
        edit = edit_to(self.context.session.project, self.found, kind)
        if edit is not None and kind != self._now() and self.context.session.do(edit):
            self.line_chosen.emit()


def sources_for_kinds(store: MeasurementStore) -> Sources:
    """Sources that keep the frames round a cut: several kinds show the same ones of both takes."""
    return Sources.of(store, memory=FrameMemory(_KEPT_BYTES, _KEPT_BYTES // 2))


def kind_pictures(project: Project, cut: SurveyedCut, kind: str, sources: Sources, progress: Progress) -> list[QImage]:
    """How a kind would join a cut, as small pictures one after the other; none of a whip cut where no moves agree."""
    simple = _simply_paced(project, project.shot_index(cut.shot_id))
    edit = edit_to(simple, cut, kind)
    if edit is None:
        return []
    size = fitted_size(project.reel.size, PICTURE)
    return _drawn(_mirrored(edit.apply(simple), cut.shot_id), cut.shot_id, size, sources, progress)


def _mirrored(project: Project, shot_id: str) -> Project:
    """A join that shows nothing but its own two sides beyond their edges: other frames would have to be found first."""
    shots = list(project.reel.shots)
    number = project.shot_index(shot_id)
    if not goes_on(shots[number].leave):
        return project
    shots[number] = shots[number].changed(leave=shots[number].leave.having(beyond="mirrored"))
    return project.changed(reel=project.reel.changed(shots=tuple(shots)))


def _simply_paced(project: Project, at: int) -> Project:
    """The two shots at a cut shown by their nearest frames, without an open shutter: so small, that is enough."""
    shots = list(project.reel.shots)
    for number in (at, at + 1):
        pace = shots[number].pace.changed(in_between="nearest", shutter=Shutter())
        shots[number] = shots[number].changed(pace=pace)
    return project.changed(reel=project.reel.changed(shots=tuple(shots)))


def _drawn(project: Project, shot_id: str, size: tuple[int, int], sources: Sources, progress: Progress) -> list[QImage]:
    """Some frames round the cut behind a shot, evenly over the join; made on a worker thread."""
    row = placed_shots(project)
    number = project.shot_index(shot_id)
    cut = row[number].end
    made = made_join(row, number, project.reel.aspect, lambda _: None)
    before, after = (made.before + 1, made.after + 1) if made is not None else (_AROUND, _AROUND)
    first, last = max(0, cut - before), min(row[-1].end - 1, cut + after)
    frames = sorted({round(float(frame)) for frame in np.linspace(first, last, _FRAMES)})
    plans = reel_plans(project, size, first, last + 1)
    pictures, making = [], Making()
    for number, frame in enumerate(frames):
        step(progress, number, len(frames))
        pictures.append(image_of(plans.pixels(sources, frame, making)).copy())
    return pictures
