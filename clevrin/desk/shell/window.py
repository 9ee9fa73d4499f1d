"""The main window: header, step rail, the bench of the step, and the reel."""

from functools import cached_property
from pathlib import Path
from typing import TYPE_CHECKING, TypeVar

from PySide6.QtCore import QEvent, QSize, Qt, QUrl
from PySide6.QtGui import QAction, QCloseEvent, QDragEnterEvent, QDropEvent, QKeyEvent, QKeySequence, QResizeEvent
from PySide6.QtWidgets import (
    QAbstractButton,
    QApplication,
    QHBoxLayout,
    QLineEdit,
    QMainWindow,
    QMenu,
    QPlainTextEdit,
    QStackedWidget,
    QSystemTrayIcon,
    QVBoxLayout,
    QWidget,
)
from shiboken6 import isValid

from clevrin.core.document import Pace
from clevrin.core.document.keeping import recent_projects
from clevrin.core.media.cache_room import clear_room
from clevrin.core.media.frame_memory import FrameMemory
from clevrin.core.media.proxies import ProxyShelf
from clevrin.core.media.thumbnail_shelf import ThumbnailShelf
from clevrin.core.render.measured.measurement_store import MeasurementStore
from clevrin.core.render.sources import Sources
from clevrin.core.shelf import Shelf
from clevrin.desk.background.imports_ahead import ImportsAhead
from clevrin.desk.background.intake import Intake
from clevrin.desk.background.jobs import Job, JobRunner
from clevrin.desk.background.known_moves import KnownMoves
from clevrin.desk.background.mask_jobs import MaskJobs
from clevrin.desk.background.measurements import Measurements
from clevrin.desk.background.media_watch import MediaWatch
from clevrin.desk.background.precedence import Precedence
from clevrin.desk.background.preparing import Preparing
from clevrin.desk.background.ridge_store import RidgeStore
from clevrin.desk.background.track_jobs import TrackJobs
from clevrin.desk.background.waveforms import Waveforms
from clevrin.desk.bench.bench import Bench
from clevrin.desk.bench.context import Context
from clevrin.desk.bench.offering import Offering
from clevrin.desk.files.exchanging import Exchanging
from clevrin.desk.files.footage import Footage
from clevrin.desk.files.projects import Projects
from clevrin.desk.files.recipes import Recipes
from clevrin.desk.finish.handing_on import HandingOn
from clevrin.desk.finish.queue import RenderQueue
from clevrin.desk.finish.rendering import Rendering
from clevrin.desk.log.bench import LogBench
from clevrin.desk.music.edits import MusicEdits
from clevrin.desk.playback.player import Player
from clevrin.desk.playback.thumbnails import Thumbnails
from clevrin.desk.reel.edits import ReelEdits
from clevrin.desk.reel.format_sheet import FormatSheet
from clevrin.desk.reel.view import ReelView
from clevrin.desk.reel_motion.edits import OverEdits
from clevrin.desk.shell.actions import ACTIONS, GROUP_WORDS, GROUPS
from clevrin.desk.shell.header import Header
from clevrin.desk.shell.key_sheet import KeySheet
from clevrin.desk.shell.keys import Keys
from clevrin.desk.shell.messages import Messages
from clevrin.desk.shell.playing import Playing
from clevrin.desk.shell.rail import StepRail
from clevrin.desk.shell.said import Said
from clevrin.desk.shell.settings_sheet import SettingsSheet
from clevrin.desk.shell.side_sheets import SideSheets
from clevrin.desk.shell.window_place import keep_place, place_window
from clevrin.desk.sound.edits import SoundEdits
from clevrin.desk.sound.view import SoundLanes
from clevrin.desk.state.notices import Notices
from clevrin.desk.state.session import Session
from clevrin.desk.state.settings import Settings
from clevrin.desk.widgets import theme
from clevrin.desk.widgets.file_dialogs import FileDialogs
from clevrin.desk.widgets.typing import number
from clevrin.desk.widgets.viewer import Viewer

if TYPE_CHECKING:
    from clevrin.desk.finish.bench import FinishBench
    from clevrin.desk.join.bench import JoinBench
    from clevrin.desk.pace.bench import PaceBench
    from clevrin.desk.reframe.bench import ReframeBench
    from clevrin.desk.steady.bench import SteadyBench

_USUAL_HEIGHT = 800
MadeBench = TypeVar("MadeBench", bound=Bench)


class _Stack(QStackedWidget):
    """The benches: as much room as the one that is shown needs, and not as the largest of them does."""

    def __init__(self) -> None:
        super().__init__()
        self.currentChanged.connect(lambda _: self.updateGeometry())

    def minimumSizeHint(self) -> QSize:
        shown = self.currentWidget()
        return super().minimumSizeHint() if shown is None else shown.minimumSizeHint()


class MainWindow(QMainWindow):
    """Puts the parts together and says what actions do; knows nothing of how a bench works."""

    def __init__(self, settings: Settings | None = None, store: MeasurementStore | None = None) -> None:
        """`store`: what is measured, which windows may share."""
        super().__init__()
        self.setWindowTitle("Clevrin")
        self.setAcceptDrops(True)
        self.settings = settings or Settings(self)
        self.keys = Keys(self.settings, self)
        self.session = Session(self, folder=lambda: self.settings.journal_folder)
        precedence = Precedence()
        self.jobs = JobRunner(self, precedence=precedence)
        store, memory = store or MeasurementStore(Shelf(self.settings.cache_folder)), FrameMemory()
        proxies = ProxyShelf(self.settings.cache_folder / "proxies")
        self.player = Player(lambda: Sources.of(store, proxies, memory), self, precedence=precedence)
        small = ThumbnailShelf(self.settings.cache_folder / "thumbnails")
        self.thumbnails = Thumbnails(
            lambda: Sources.of(store, proxies, light=True), self, precedence=precedence, shelf=small
        )
        self.imports_ahead = ImportsAhead(self)
        watch = MediaWatch(self.session, self.jobs)
        self.intake = Intake(self.session, self.jobs, watch, self.settings, proxies)
        self.measurements = Measurements(self.session, self.jobs, store, watch)
        self.track_jobs = TrackJobs(self.session, self.jobs, store, self.measurements)
        self.mask_jobs = MaskJobs(self.session, self.jobs, self.measurements)
        self.mask_jobs.changed.connect(self.track_jobs.look_again)
        self.media_watch = watch
        preparing = Preparing(self.jobs, store, self)
        self.session.opened.connect(preparing.making.forget)
        self.notices = Notices(self)
        self.context = Context(
            session=self.session,
            jobs=self.jobs,
            measurements=self.measurements,
            track_jobs=self.track_jobs,
            mask_jobs=self.mask_jobs,
            thumbnails=self.thumbnails,
            player=self.player,
            preparing=preparing,
            intake=self.intake,
            notices=self.notices,
            known_moves=KnownMoves(),
        )
        self.reel_edits = ReelEdits(self.session)
        self.offering = Offering(self.context, self)
        self.actions_by_id: dict[str, QAction] = {}
        self._told_unsafe = False
        self._tray: QSystemTrayIcon | None = None
        files = FileDialogs(self)
        self.queue = RenderQueue(self.jobs, self.notices, store.shelf.folder, self)
        self.rendering = Rendering(self.context, files, self.queue, self.settings)
        self._build(files)
        self.setStyleSheet(theme.style_sheet())
        place_window(self, self.settings)
        self.projects = Projects(self.context, files, self.offers)
        self.exchanging = Exchanging(self.context, files, self.log.marks, lambda: self.steady.edits)
        self.recipes = Recipes(self.context, files, self.settings)
        self.music = MusicEdits(self.context, files)
        self.over = OverEdits(self.context)
        self.handing_on = HandingOn(self.context, files)
        self.footage = Footage(self.context, files, self.projects, self.exchanging, self.music)
        self.playing = Playing(self.player)
        self._connect()
        self.enter_step("log")
        self._on_session_project_changed()
        self._show_keys()
        self._show_detail()
        self.log.welcome.show_lately(recent_projects())

    # How it is put together

    def _build(self, files: FileDialogs) -> None:
        self._menu = QMenu(self)
        self._make_actions()
        self.header = Header(self.jobs, self._menu)
        self.rail = StepRail()
        self._files = files
        self._ridges = RidgeStore(self.measurements)
        self._sound = SoundEdits(self.session, self)
        self._stack = _Stack()
        self.waveforms = Waveforms(self.jobs, self.measurements.store.shelf, self)
        self.reel = ReelView(self.context, self._ridges, self.waveforms)
        self.lanes = SoundLanes(self.context, self.reel, self.waveforms, self._sound)
        self.lanes.hide()
        middle = QHBoxLayout()
        middle.setSpacing(0)
        middle.addWidget(self.rail)
        middle.addWidget(self._stack, 1)
        self._whole = QWidget()
        column = QVBoxLayout(self._whole)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self.header)
        column.addLayout(middle, 1)
        column.addWidget(self.reel)
        column.addWidget(self.lanes)
        messages = Messages(self.header, self._whole)
        self.offers, self.trouble = messages.offers, messages.trouble
        self.setCentralWidget(self._whole)
        self.key_sheet: KeySheet | None = None
        self.settings_sheet: SettingsSheet | None = None
        self.sides = SideSheets(self)

    def _make_actions(self) -> None:
        for group in GROUPS:
            section = self._menu.addMenu(GROUP_WORDS[group])
            for entry in ACTIONS:
                if entry.group != group:
                    continue
                action = QAction(entry.words, self)
                action.setShortcutContext(Qt.ShortcutContext.WindowShortcut)
                action.triggered.connect(lambda _=False, entry=entry: self._run_by_key(entry.id))
                self.actions_by_id[entry.id] = action
                self.addAction(action)
                if entry.in_menu:
                    section.addAction(action)

    def _connect(self) -> None:
        self.header.undo_requested.connect(self.session.undo)
        self.header.redo_requested.connect(self.session.redo)
        self.rail.step_requested.connect(self.enter_step)
        self.offering.changed.connect(self._show_offer)
        self.header.offers.taken.connect(lambda: self.offering.take())
        self.header.offers.all_taken.connect(lambda: self.offering.take_all())
        self.header.offers.next_wanted.connect(self.offering.go_on)
        self.log.add_requested.connect(self.footage.ask_for_takes)
        self.log.find_requested.connect(self.footage.ask_to_find)
        self.log.welcome.add_requested.connect(self.footage.ask_for_takes)
        self.log.welcome.open_requested.connect(self.projects.ask_to_open)
        self.log.welcome.demo_requested.connect(self.projects.open_demo)
        self.log.welcome.project_requested.connect(self.projects.open)
        self.session.opened.connect(lambda: self.log.welcome.show_lately(recent_projects()))
        self.reel.looked_at.connect(self._on_reel_looked_at)
        self.reel.shots_chosen.connect(self.session.choose_shots)
        self.reel.join_chosen.connect(self._on_reel_join_chosen)
        self.lanes.looked_at.connect(self._on_reel_looked_at)
        self.lanes.shot_chosen.connect(self.session.choose_shot)
        self.queue.ended.connect(self._on_queue_ended)
        self.session.opened.connect(lambda: self.enter_step("log"))
        self.session.opened.connect(self.player.forget_films)
        self.session.opened.connect(self.thumbnails.forget_films)
        self.session.project_changed.connect(self._on_session_project_changed)
        self.session.selection_changed.connect(self._show_dots)
        self.session.saved_changed.connect(self._show_name)
        self.session.trouble.connect(self.trouble.tell)
        self.notices.troubled.connect(self.trouble.tell)
        self.notices.told.connect(self.header.strip.tell)
        self.intake.noted.connect(lambda words: self.header.strip.tell(words, None))
        self.keys.changed.connect(self._show_keys)
        self.settings.changed.connect(self._show_detail)
        self.media_watch.changed.connect(self.thumbnails.try_again)
        self.session.opened.connect(self.waveforms.look_again)
        application = QApplication.instance()
        assert isinstance(application, QApplication)
        application.focusChanged.connect(self._on_focus_changed)

    # Steps: each bench is made when it is first asked for, as a rule when its step is entered.

    @property
    def bench(self) -> Bench:
        """The bench of the step that is shown."""
        made: Bench = getattr(self, self._step)
        return made

    @cached_property
    def log(self) -> LogBench:
        return self._stacked(LogBench(self.context, self._ridges))

    @cached_property
    def steady(self) -> "SteadyBench":
        from clevrin.desk.steady.bench import SteadyBench

        made = self._stacked(SteadyBench(self.context))
        made.sheet.motion_file_requested.connect(self.exchanging.ask_for_motion)
        return made

    @cached_property
    def reframe(self) -> "ReframeBench":
        from clevrin.desk.reframe.bench import ReframeBench

        made = self._stacked(ReframeBench(self.context))
        made.pinned_edits.use(self._files)
        made.sheet.render_requested.connect(self.rendering.ask_where)
        return made

    @cached_property
    def pace(self) -> "PaceBench":
        from clevrin.desk.pace.bench import PaceBench

        made = self._stacked(PaceBench(self.context))
        made.sheet.music_requested.connect(self.sides.show_music)
        return made

    @cached_property
    def join(self) -> "JoinBench":
        from clevrin.desk.join.bench import JoinBench

        return self._stacked(JoinBench(self.context, self._ridges))

    @cached_property
    def finish(self) -> "FinishBench":
        from clevrin.desk.finish.bench import FinishBench

        made = self._stacked(FinishBench(self.context, self.rendering, self.queue, self._sound))
        made.lanes_wanted.connect(self.lanes.setVisible)
        made.loudness_changed.connect(self.lanes.show_loudness)
        made.sheet.hand_on_button.clicked.connect(self.sides.show_handing_on)
        return made

    def _stacked(self, bench: MadeBench) -> MadeBench:
        """Puts a bench that was just made where the others are."""
        self._stack.addWidget(bench)
        self._show_detail()
        return bench

    def enter_step(self, step: str) -> None:
        """Shows the bench of a step."""
        if getattr(self, "_step", None) is not None:
            self.sides.close()
            self.bench.leave()
        if self.player.playing:
            self.player.stop()
        self._step = step
        self._stack.setCurrentWidget(self.bench)
        self.rail.show_step(step)
        self.offering.enter(step)
        self.bench.enter()
        self.bench.take_focus()

    @property
    def step(self) -> str:
        """The step whose bench is shown."""
        return self._step

    # What actions do

    def take_what_is_proposed(self) -> None:
        """Enter: presses the button that was reached with Tab, takes what is being typed, or does the bench's work."""
        focused = QApplication.focusWidget()
        if isinstance(focused, QAbstractButton):
            focused.click()
        elif isinstance(focused, QLineEdit):
            focused.returnPressed.emit()
            self.bench.take_focus()
        elif number.under_way:
            number.done()  # its field is gone: nothing else was meant
        else:
            self.bench.take_what_is_proposed()

    def ask_where_to_render(self) -> None:
        """Asks for the place of a render: as Finish has it, where that is shown, else of the reel as it is."""
        if self._step == "finish":
            self.finish.ask_to_render()
        else:
            self.rendering.ask_where()

    @cached_property
    def said(self) -> Said:
        """What can be typed to be done; made when it is first asked for, with all benches."""
        return Said(self, self._run, self)

    def say(self) -> None:
        """Opens the line, or closes it."""
        self.said.open_or_close()

    def say_recipe(self) -> None:
        """Opens the line with the recipes."""
        self.said.open_or_close("recipe ")

    def put_back(self) -> None:
        """Escape: puts back what a drag changed; else leaves the field that is typed in, else closes a side sheet."""
        if self.reel.put_back() or self.lanes.put_back() or self.bench.put_back():
            return
        self.trouble.hide()
        if isinstance(QApplication.focusWidget(), QLineEdit | QPlainTextEdit) or not self.sides.close():
            self.bench.take_focus()

    def keep_cache_small(self) -> None:
        """Deletes what has not been used for longest, in the background, where the cache is larger than it may be."""
        folder, most = self.settings.cache_folder, int(self.settings.value("cache_gb")) * 10**9
        work = lambda _: clear_room(folder, most)  # noqa: E731
        self.jobs.start(Job(key=("cache",), what="Clearing the cache", work=work, done=lambda _: None, quiet=True))

    # Windows beside this one

    def show_keys(self) -> None:
        if self.key_sheet is None:
            self.key_sheet = KeySheet(self.keys, self)
        self.key_sheet.show()

    def show_settings(self) -> None:
        if self.settings_sheet is None:
            self.settings_sheet = SettingsSheet(self.settings, self)
        self.settings_sheet.show()

    def show_format(self) -> None:
        FormatSheet(self.session, self).show()

    # What happens

    def _run_by_key(self, action_id: str) -> None:
        """A digit that is typed in the middle of a number is no key, even where its field is gone."""
        entry = next(a for a in ACTIONS if a.id == action_id)
        if not (number.under_way and any(key.isdigit() for key in self.keys.of(entry))):
            self._run(action_id)

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

    def _show_offer(self) -> None:
        offer = self.offering.first
        alike = 0 if offer is None else self.offering.alike(offer)
        self.header.offers.show_offer(offer, alike, len(self.offering.offers))

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
            if shot.gates:
                dots.add("reframe")
            if shot.pace != Pace():
                dots.add("pace")
            if shot.leave.kind != "plain cut" or shot.leave.dissolve_frames:
                dots.add("join")
        self.rail.show_dots(dots)

    def _on_queue_ended(self, words: str) -> None:
        """Who works in another window meanwhile is told by the desktop."""
        QApplication.alert(self)
        if not self.isActiveWindow() and QSystemTrayIcon.isSystemTrayAvailable():
            self._tray = self._tray or QSystemTrayIcon(self.windowIcon(), self)
            self._tray.show()
            self._tray.showMessage("Clevrin", words)

    def _on_reel_looked_at(self, frame: int) -> None:
        self.session.move_playhead(frame)
        self.bench.seek_reel(frame)

    def _on_reel_join_chosen(self, shot_id: str) -> None:
        self.session.choose_shot(shot_id)
        if self._step != "join":
            self.enter_step("join")

    def _on_focus_changed(self, old: QWidget | None, new: QWidget | None) -> None:
        """Qt gives the keys of what is hidden or greyed to whatever comes next, which may be a button."""
        gone = old is not None and isValid(old) and not (old.isVisible() and old.isEnabled())
        if gone and isinstance(new, QAbstractButton) and self.isAncestorOf(new):
            self.bench.take_focus()

    def resizeEvent(self, event: QResizeEvent) -> None:
        """The reel has its share of the height, the same in every step."""
        most, least = theme.widened(theme.REEL_HEIGHT), theme.widened(theme.LEAST_REEL_HEIGHT)
        self.reel.setFixedHeight(min(most, max(least, self.height() * theme.REEL_HEIGHT // _USUAL_HEIGHT)))
        super().resizeEvent(event)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """B held down shows the picture as shot."""
        if event.key() == Qt.Key.Key_B and not event.isAutoRepeat():
            self.bench.show_before(True)
        super().keyPressEvent(event)

    def keyReleaseEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_B and not event.isAutoRepeat():
            self.bench.show_before(False)
        super().keyReleaseEvent(event)

    def changeEvent(self, event: QEvent) -> None:
        if event.type() == QEvent.Type.ActivationChange:
            if self.isActiveWindow():
                self.media_watch.look(again=True)  # files may have been moved meanwhile
            else:
                self.bench.show_before(False)  # B may be let go over another window
        super().changeEvent(event)

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if event.mimeData().hasUrls():
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        self.footage.open_files(Path(url.toLocalFile()) for url in _local(event.mimeData().urls()))
        event.acceptProposedAction()

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
        keep_place(self, self.settings)
        self.player.close()
        self.imports_ahead.close()
        self.thumbnails.close()
        self.jobs.close()
        self.session.close()
        super().closeEvent(event)


def _local(urls: list[QUrl]) -> list[QUrl]:
    return [url for url in urls if url.isLocalFile()]
