"""The main window: header, step rail, the bench of the step, and the reel."""

from pathlib import Path

from PySide6.QtCore import QEvent, Qt, QUrl
from PySide6.QtGui import QAction, QCloseEvent, QDragEnterEvent, QDropEvent, QKeyEvent, QKeySequence
from PySide6.QtWidgets import (
    QAbstractButton,
    QApplication,
    QHBoxLayout,
    QLineEdit,
    QMainWindow,
    QMenu,
    QSlider,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from clevrin.core.document.edits import RemoveTake, SetTakes
from clevrin.core.document.files import SUFFIX, read_text, write_atomically
from clevrin.core.document.packing import pack
from clevrin.core.errors import ClevrinError, DocumentError
from clevrin.core.exchange.take_list import take_list_csv, with_take_list
from clevrin.core.exchange.timeline_reading import Imported, read_timeline
from clevrin.core.exchange.timeline_writing import timeline_text
from clevrin.core.media.proxies import ProxyShelf, clear_room
from clevrin.core.media.writing import carries_alpha, what_is_not_carried
from clevrin.core.motion.cache import Shelf
from clevrin.core.progress import Progress
from clevrin.core.render.export import ExportRequest, export_reel
from clevrin.core.render.sources import Known, Sources
from clevrin.desk.actions import ACTIONS, GROUP_WORDS, GROUPS
from clevrin.desk.bench import Bench
from clevrin.desk.context import Context
from clevrin.desk.file_dialogs import FileDialogs
from clevrin.desk.followings import Followings
from clevrin.desk.header import Header
from clevrin.desk.intake import Intake
from clevrin.desk.jobs import Job, JobRunner
from clevrin.desk.join.bench import JoinBench
from clevrin.desk.key_sheet import KeySheet
from clevrin.desk.keys import Keys
from clevrin.desk.log.bench import LogBench
from clevrin.desk.measurements import Measurements
from clevrin.desk.media_watch import MediaWatch
from clevrin.desk.offer import OfferBar
from clevrin.desk.playback import Player
from clevrin.desk.rail import StepRail
from clevrin.desk.recovery import offer_left_behind, open_or_offer
from clevrin.desk.reel.edits import ReelEdits
from clevrin.desk.reel.format_sheet import FormatSheet
from clevrin.desk.reel.view import ReelView
from clevrin.desk.ridge_store import RidgeStore
from clevrin.desk.session import Session
from clevrin.desk.settings import Settings
from clevrin.desk.settings_sheet import SettingsSheet
from clevrin.desk.sheet import Trouble
from clevrin.desk.steady.bench import SteadyBench
from clevrin.desk.thumbnails import Thumbnails
from clevrin.desk.viewer import Viewer


class MainWindow(QMainWindow):
    """Puts the parts together and says what actions do; knows nothing of how a bench works."""

    def __init__(self, settings: Settings | None = None) -> None:
        super().__init__()
        self.setWindowTitle("Clevrin")
        self.setAcceptDrops(True)
        self.resize(1280, 800)
        self.settings = settings or Settings(self)
        self.keys = Keys(self.settings, self)
        self.session = Session(self, folder=lambda: self.settings.journal_folder)
        self.jobs = JobRunner(self)
        shelf, known = Shelf(self.settings.cache_folder), Known()
        proxies = ProxyShelf(self.settings.cache_folder / "proxies")
        self._make_sources = lambda: Sources(shelf, known, proxies)
        self.player = Player(self._make_sources, self)
        self.thumbnails = Thumbnails(self._make_sources, self)
        watch = MediaWatch(self.session, self.jobs)
        self.intake = Intake(self.session, self.jobs, watch, self.settings, proxies)
        self.measurements = Measurements(self.session, self.jobs, shelf, known, watch)
        self.followings = Followings(self.session, self.jobs, shelf, known, self.measurements)
        self._watch = watch
        self._context = Context(
            session=self.session,
            jobs=self.jobs,
            measurements=self.measurements,
            followings=self.followings,
            thumbnails=self.thumbnails,
            player=self.player,
            intake=self.intake,
        )
        self.files = FileDialogs(self)
        self.reel_edits = ReelEdits(self.session)
        self.actions_by_id: dict[str, QAction] = {}
        self._told_unsafe = False
        self._build()
        self._connect()
        self.enter_step("log")
        self._on_session_project_changed()
        self._show_keys()
        self._show_detail()

    # How it is put together

    def _build(self) -> None:
        self._menu = QMenu(self)
        self._make_actions()
        self.header = Header(self.jobs, self._menu)
        self.rail = StepRail()
        ridges = RidgeStore(self.measurements)
        self.log = LogBench(self._context, ridges)
        self.steady = SteadyBench(self._context)
        self.join = JoinBench(self._context, ridges)
        self._benches: dict[str, Bench] = {"log": self.log, "steady": self.steady, "join": self.join}
        self._stack = QStackedWidget()
        for bench in self._benches.values():
            self._stack.addWidget(bench)
        self.reel = ReelView(self._context, ridges)
        self.trouble = Trouble()
        self.offers = OfferBar()
        middle = QHBoxLayout()
        middle.setSpacing(0)
        middle.addWidget(self.rail)
        middle.addWidget(self._stack, 1)
        self._whole = QWidget()
        column = QVBoxLayout(self._whole)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self.header)
        column.addWidget(self.offers)
        column.addWidget(self.trouble)
        column.addLayout(middle, 1)
        column.addWidget(self.reel)
        self.setCentralWidget(self._whole)
        self._whole.setFocusPolicy(Qt.FocusPolicy.StrongFocus)  # the keys belong to the pictures, not to a button
        self._whole.setFocus()
        self._key_sheet: KeySheet | None = None
        self._settings_sheet: SettingsSheet | None = None

    def _make_actions(self) -> None:
        for group in GROUPS:
            section = self._menu.addMenu(GROUP_WORDS[group])
            for entry in ACTIONS:
                if entry.group != group:
                    continue
                action = QAction(entry.words, self)
                action.setShortcutContext(Qt.ShortcutContext.WindowShortcut)
                action.triggered.connect(lambda _=False, entry=entry: self._run(entry.id))
                self.actions_by_id[entry.id] = action
                self.addAction(action)
                if entry.in_menu:
                    section.addAction(action)

    def _connect(self) -> None:
        self.header.undo_requested.connect(self.session.undo)
        self.header.redo_requested.connect(self.session.redo)
        self.rail.step_requested.connect(self.enter_step)
        self.log.add_requested.connect(self.files.ask_for_takes)
        self.log.find_requested.connect(self.files.ask_to_find)
        self.steady.sheet.motion_file_requested.connect(self.files.ask_for_motion)
        self.reel.looked_at.connect(self._on_reel_looked_at)
        self.reel.shots_chosen.connect(self.session.choose_shots)
        self.reel.join_chosen.connect(self._on_reel_join_chosen)
        self.session.project_changed.connect(self._on_session_project_changed)
        self.session.selection_changed.connect(self._show_dots)
        self.session.saved_changed.connect(self._show_name)
        self.session.trouble.connect(self.trouble.tell)
        self.keys.changed.connect(self._show_keys)
        self.settings.changed.connect(self._show_detail)
        self._watch.changed.connect(self.thumbnails.try_again)

    # Steps

    @property
    def bench(self) -> Bench:
        return self._benches[self._step]

    def enter_step(self, step: str) -> None:
        """Shows the bench of a step."""
        if getattr(self, "_step", None) is not None:
            self.bench.leave()
        if self.player.playing:
            self.player.stop()
        self._step = step
        self._stack.setCurrentWidget(self.bench)
        self.rail.show_step(step)
        self.bench.enter()

    # What actions do

    def toggle_play(self) -> None:
        """Plays or stops; a button that was reached with Tab is pressed instead."""
        focused = QApplication.focusWidget()
        if isinstance(focused, QAbstractButton):
            focused.click()
        else:
            self.player.toggle()

    def shuttle(self, way: int) -> None:
        """Plays forward (1), backward (-1), or stops (0)."""
        if way:
            self.player.shuttle(way)
        else:
            self.player.stop()

    def step(self, frames: int) -> None:
        """Moves by some frames; a slider that was reached with Tab is moved instead."""
        focused = QApplication.focusWidget()
        if isinstance(focused, QSlider):
            focused.setValue(focused.value() + frames)
            return
        self.player.stop()
        self.player.seek(self.player.frame + frames)

    def go_to_end(self, way: int) -> None:
        """Looks at the first (-1) or last (1) frame of what the bench shows."""
        programme = self.player.programme
        if programme is not None:
            self.player.stop()
            self.player.seek(programme.first if way < 0 else programme.end - 1)

    def type_instant(self) -> None:
        self.bench.transport.entry.begin()

    def toggle_loop(self) -> None:
        self.log.set_loops(not self.log.loops)

    def take_what_is_proposed(self) -> None:
        focused = QApplication.focusWidget()
        if isinstance(focused, QAbstractButton):
            focused.click()
        elif isinstance(focused, QLineEdit):
            focused.returnPressed.emit()
            self._whole.setFocus()
        elif self._step == "log":
            self.log.put_on_reel()
        elif self._step == "join":
            self.join.take_proposal()

    def put_back(self) -> None:
        """Escape: ends a drag and puts back what it changed; else leaves the field that is typed in."""
        if not (self.reel.put_back() or self.log.ridge.put_back() or self.log.marks.put_back()):
            self.trouble.hide()
            self._whole.setFocus()

    def remove_take(self) -> None:
        take = self.session.take
        if take is not None:
            self.session.do(RemoveTake(take_id=take.id, label=f"Remove {take.name}"))

    # Projects

    def begin_new(self) -> None:
        self.player.stop()
        self.session.begin_new()

    def save(self) -> None:
        if self.session.has_name:
            self.session.save()
        else:
            self.files.ask_to_save()

    def open_project(self, path: Path) -> None:
        """Opens a project, or says in a sentence why not, and keeps what is open."""
        self.player.stop()
        self.trouble.hide()
        sentence = open_or_offer(self.session, self.offers, path)
        if sentence is not None:
            self.trouble.tell(sentence)

    def offer_what_was_left(self) -> None:
        """Offers the changes of windows that ended without a goodbye."""
        offer_left_behind(self.session, self.offers, self.settings.journal_folder)

    def save_project(self, path: Path) -> None:
        try:
            self.session.save_as(path)
        except DocumentError as error:
            self.trouble.tell(str(error))

    def pack_into(self, folder: Path) -> None:
        """Copies the project and its media into a new folder, in the background."""
        project = self.session.project
        self._start(
            ("pack", str(folder)),
            f"Packing into {folder.name}",
            lambda progress: pack(project, folder, progress),
            lambda written: self.header.strip.tell(f"Packed into {written.parent.name}"),
        )

    def render_to(self, path: Path) -> None:
        """Renders the reel to a file, in the background: MP4, or MOV where parts of it are to stay clear."""
        if path.suffix.lower() != ".mp4" and not carries_alpha(path):
            path = path.with_name(path.name + ".mp4")
        if not carries_alpha(path) and any(s.hold.edge == "clear" for s in self.session.project.reel.shots):
            self.trouble.tell(what_is_not_carried(path))
        request = ExportRequest(project=self.session.project, path=path)

        def work(progress: Progress) -> Path:
            with self._make_sources() as sources:
                return export_reel(request, sources, progress)

        self._start(
            ("render", str(path)),
            f"Rendering {path.name}",
            work,
            lambda written: self.header.strip.tell(f"Rendered {written.name}"),
        )

    def open_timeline(self, path: Path) -> None:
        """Makes a new project of an OTIO timeline; what it has that a reel has not is listed."""

        def done(imported: Imported) -> None:
            self.session.begin_of(imported.project)
            self.trouble.tell("\n".join(imported.left_out[:8]))

        self._start(("timeline", str(path)), f"Reading {path.name}", lambda _: read_timeline(path), done)

    def write_timeline(self, path: Path) -> None:
        self._write(path, timeline_text(self.session.project))

    def write_take_list(self, path: Path) -> None:
        self._write(path, take_list_csv(self.session.project.takes))

    def write_track(self, path: Path) -> None:
        """Writes the chosen track of the chosen take as CSV."""
        text = self.log.marks.chosen_as_csv()
        if text is not None:
            self._write(path, text)

    def read_track(self, path: Path) -> None:
        """Gives the chosen take a track from a CSV."""
        try:
            self.log.marks.add_from(path)
        except ClevrinError as error:
            self.session.trouble.emit(str(error))

    def read_take_list(self, path: Path) -> None:
        """Gives the takes the marks, notes and spans of a list."""
        try:
            takes = with_take_list(self.session.project, read_text(path, "a table")).takes
        except ClevrinError as error:
            self.trouble.tell(str(error))
        else:
            self.session.do(SetTakes(takes=takes, label="Read take list"))

    def _write(self, path: Path, text: str) -> None:
        try:
            write_atomically(path, text)
        except DocumentError as error:
            self.trouble.tell(str(error))
        else:
            self.header.strip.tell(f"Wrote {path.name}")

    def _start(self, key: tuple, what: str, work, done) -> None:
        self.trouble.hide()
        self.jobs.start(Job(key=key, what=what, work=work, done=done, failed=self.trouble.tell))

    def keep_cache_small(self) -> None:
        """Deletes what has not been used for longest, in the background, where the cache is larger than it may be."""
        folder, most = self.settings.cache_folder, int(self.settings.value("cache_gb")) * 10**9
        work = lambda _: clear_room([folder], most)  # noqa: E731
        self.jobs.start(Job(key=("cache",), what="Clearing the cache", work=work, done=lambda _: None, quiet=True))

    # Windows beside this one

    def show_keys(self) -> None:
        if self._key_sheet is None:
            self._key_sheet = KeySheet(self.keys, self)
        self._key_sheet.show()

    def show_settings(self) -> None:
        if self._settings_sheet is None:
            self._settings_sheet = SettingsSheet(self.settings, self)
        self._settings_sheet.show()

    def show_format(self) -> None:
        FormatSheet(self.session, self).show()

    # What happens

    def _run(self, action_id: str) -> None:
        entry = next(a for a in ACTIONS if a.id == action_id)
        if entry.when(self):
            entry.run(self)

    def _show_keys(self) -> None:
        for entry in ACTIONS:
            keys = self.keys.of(entry)
            self.actions_by_id[entry.id].setShortcuts([QKeySequence(key) for key in keys])

    def _show_detail(self) -> None:
        share = 0.5 if self.settings.value("preview_quality") == "half" else 1.0
        for viewer in self.findChildren(Viewer):
            viewer.set_detail(share)

    def _on_session_project_changed(self) -> None:
        history = self.session.history
        self.header.show_history(history.undo_label, history.redo_label)
        for id, verb, label in (("undo", "Undo", history.undo_label), ("redo", "Redo", history.redo_label)):
            self.actions_by_id[id].setText(f"{verb}: {label}" if label else verb)
        self._show_name()
        self._show_dots()

    def _show_name(self) -> None:
        self.header.show_project(self.session.project.name, self.session.saved, self.session.has_name)
        title = f"{self.session.project.name} – Clevrin"
        if self.windowTitle() != title:
            self.setWindowTitle(title)

    def _show_dots(self) -> None:
        shot = self.session.shot
        dots = set()
        if shot is not None:
            if shot.hold.how != "none" or shot.loan is not None:
                dots.add("steady")
            if shot.leave.kind != "plain cut" or shot.leave.dissolve_frames:
                dots.add("join")
        self.rail.show_dots(dots)

    def _on_reel_looked_at(self, frame: int) -> None:
        self.session.move_playhead(frame)
        self.bench.seek_reel(frame)

    def _on_reel_join_chosen(self, shot_id: str) -> None:
        self.session.choose_shot(shot_id)
        if self._step != "join":
            self.enter_step("join")

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """B held down shows the picture as shot."""
        if event.key() == Qt.Key.Key_B and not event.isAutoRepeat():
            self.steady.show_before(True)
        super().keyPressEvent(event)

    def keyReleaseEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_B and not event.isAutoRepeat():
            self.steady.show_before(False)
        super().keyReleaseEvent(event)

    def changeEvent(self, event: QEvent) -> None:
        if event.type() == QEvent.Type.ActivationChange:
            if self.isActiveWindow():
                self._watch.look(again=True)  # files may have been moved meanwhile
            else:
                self.steady.show_before(False)  # B may be let go over another window
        super().changeEvent(event)

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if event.mimeData().hasUrls():
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        self.open_files([Path(url.toLocalFile()) for url in _local(event.mimeData().urls())])
        event.acceptProposedAction()

    def open_files(self, paths: list[Path]) -> None:
        """Opens a project or timeline that is among some files, and brings the films and folders in."""
        projects = [path for path in paths if path.suffix == SUFFIX]
        timelines = [path for path in paths if path.suffix == ".otio"]
        if projects:
            self.open_project(projects[0])
        elif timelines:
            self.open_timeline(timelines[0])
        self.intake.add(path for path in paths if path.suffix not in (SUFFIX, ".otio"))

    def closeEvent(self, event: QCloseEvent) -> None:
        """Saves, stops what runs and keeps its pieces; where nothing can be written, the first try only tells."""
        if not self.session.safe_to_close() and not self._told_unsafe:
            self._told_unsafe = True
            self.trouble.tell(
                f"{self.trouble.text()}\nYour last changes are nowhere but in this window: save them in another place "
                "with Ctrl+Shift+S. Closing again gives them up."
            )
            event.ignore()
            return
        self.player.close()
        self.thumbnails.close()
        self.jobs.close()
        self.session.close()
        super().closeEvent(event)


def _local(urls: list[QUrl]) -> list[QUrl]:
    return [url for url in urls if url.isLocalFile()]
