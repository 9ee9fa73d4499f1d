"""The main window: header, step rail, the bench of the step, and the reel."""

from collections.abc import Iterable
from pathlib import Path

from PySide6.QtCore import QEvent, Qt, QUrl
from PySide6.QtGui import QAction, QCloseEvent, QDragEnterEvent, QDropEvent, QKeyEvent, QKeySequence
from PySide6.QtWidgets import (
    QAbstractButton,
    QApplication,
    QDialog,
    QFileDialog,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QMainWindow,
    QMenu,
    QSlider,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from clevrin.core.document import Take
from clevrin.core.document.edits import AddTakes, MirrorShot, RemoveShot, RemoveTake
from clevrin.core.document.files import SUFFIX
from clevrin.core.errors import CancelledError, ClevrinError, DocumentError
from clevrin.core.media.taking_in import take_in
from clevrin.core.motion.cache import Shelf
from clevrin.core.progress import Progress
from clevrin.core.render.export import ExportRequest, export_reel
from clevrin.core.render.sources import Known, Sources
from clevrin.desk import theme
from clevrin.desk.actions import ACTIONS, GROUP_WORDS, GROUPS, key_rows
from clevrin.desk.bench import Bench
from clevrin.desk.context import Context
from clevrin.desk.header import Header
from clevrin.desk.jobs import Job, JobRunner
from clevrin.desk.join.bench import JoinBench
from clevrin.desk.log.bench import LogBench
from clevrin.desk.measurements import Measurements
from clevrin.desk.playback import Player
from clevrin.desk.rail import StepRail
from clevrin.desk.reel.view import ReelView
from clevrin.desk.ridge_store import RidgeStore
from clevrin.desk.session import Session
from clevrin.desk.sheet import Trouble
from clevrin.desk.steady.bench import SteadyBench
from clevrin.desk.thumbnails import Thumbnails


class MainWindow(QMainWindow):
    """Puts the parts together and says what actions do; knows nothing of how a bench works."""

    def __init__(self, session: Session | None = None, shelf: Shelf | None = None) -> None:
        super().__init__()
        self.setWindowTitle("Clevrin")
        self.setAcceptDrops(True)
        self.resize(1280, 800)
        self.session = session or Session(self)
        self.jobs = JobRunner(self)
        shelf, known = shelf or Shelf(), Known()
        self.player = Player(shelf, known, self)
        self.thumbnails = Thumbnails(shelf, known, self)
        self.measurements = Measurements(self.session, self.jobs, shelf, known)
        self._shelf, self._known = shelf, known
        self._context = Context(
            session=self.session,
            jobs=self.jobs,
            measurements=self.measurements,
            thumbnails=self.thumbnails,
            player=self.player,
        )
        self.actions_by_id: dict[str, QAction] = {}
        self._build()
        self._connect()
        self.enter_step("log")
        self._on_session_project_changed()

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
        middle = QHBoxLayout()
        middle.setSpacing(0)
        middle.addWidget(self.rail)
        middle.addWidget(self._stack, 1)
        whole = QWidget()
        column = QVBoxLayout(whole)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self.header)
        column.addWidget(self.trouble)
        column.addLayout(middle, 1)
        column.addWidget(self.reel)
        self.setCentralWidget(whole)
        whole.setFocusPolicy(Qt.FocusPolicy.StrongFocus)  # the keys belong to the pictures, not to a button
        whole.setFocus()
        self._key_sheet: QDialog | None = None

    def _make_actions(self) -> None:
        for group in GROUPS:
            section = self._menu.addMenu(GROUP_WORDS[group])
            for entry in ACTIONS:
                if entry.group != group:
                    continue
                action = QAction(entry.words, self)
                action.setShortcuts([QKeySequence(key) for key in entry.keys])
                action.setShortcutContext(Qt.ShortcutContext.WindowShortcut)
                action.triggered.connect(lambda _=False, entry=entry: self._run(entry.id))
                self.actions_by_id[entry.id] = action
                self.addAction(action)
                if entry.in_menu:
                    section.addAction(action)
            section.aboutToShow.connect(self._show_what_is_possible)

    def _connect(self) -> None:
        self.header.undo_requested.connect(self.session.undo)
        self.header.redo_requested.connect(self.session.redo)
        self.rail.step_requested.connect(self.enter_step)
        self.log.add_requested.connect(self.ask_for_takes)
        self.reel.looked_at.connect(self._on_reel_looked_at)
        self.reel.shot_chosen.connect(self.session.choose_shot)
        self.reel.join_chosen.connect(self._on_reel_join_chosen)
        self.session.project_changed.connect(self._on_session_project_changed)
        self.session.selection_changed.connect(self._show_dots)
        self.session.saved_changed.connect(self._show_name)
        self.session.trouble.connect(self.trouble.tell)

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

    def step(self, frames: int) -> None:
        """Moves by some frames; a slider that was reached with Tab is moved instead."""
        focused = QApplication.focusWidget()
        if isinstance(focused, QSlider):
            focused.setValue(focused.value() + frames)
            return
        self.player.stop()
        self.player.seek(self.player.frame + frames)

    def take_what_is_proposed(self) -> None:
        focused = QApplication.focusWidget()
        if isinstance(focused, QAbstractButton):
            focused.click()
        elif self._step == "log":
            self.log.put_on_reel()
        elif self._step == "join":
            self.join.take_proposal()

    def put_back(self) -> None:
        """Escape: ends a drag and puts back what it changed."""
        if not (self.reel.put_back() or self.log.ridge.put_back()):
            self.trouble.hide()

    def remove_shot(self) -> None:
        shot = self.session.shot
        if shot is not None:
            self.session.do(RemoveShot(shot_id=shot.id))

    def remove_take(self) -> None:
        take = self.session.take
        if take is not None:
            self.session.do(RemoveTake(take_id=take.id, label=f"Remove {take.name}"))

    def mirror_shot(self) -> None:
        shot = self.session.shot
        if shot is not None:
            turned = {None: "horizontal", "horizontal": None, "vertical": "both", "both": "vertical"}[shot.mirror]
            self.session.do(MirrorShot(shot_id=shot.id, mirror=turned))

    def begin_new(self) -> None:
        self.player.stop()
        self.session.begin_new()

    def save(self) -> None:
        if self.session.has_name:
            self.session.save_now()
        else:
            self.ask_to_save()

    def open_project(self, path: Path) -> None:
        """Opens a project, or says in a sentence why not, and keeps what is open."""
        self.player.stop()
        try:
            self.session.open(path)
        except DocumentError as error:
            self.trouble.tell(str(error))
        else:
            self.trouble.hide()

    def save_project(self, path: Path) -> None:
        if path.suffix != SUFFIX:
            path = path.with_name(path.name + SUFFIX)
        try:
            self.session.save_as(path)
        except DocumentError as error:
            self.trouble.tell(str(error))

    def add_files(self, paths: Iterable[Path]) -> None:
        """Brings files in: films become takes, the others are named in a sentence."""
        chosen = list(paths)
        if not chosen:
            return

        def work(progress: Progress) -> tuple[list[Take], list[str]]:
            takes, troubles = [], []
            for number, path in enumerate(chosen):
                if progress.cancelled():
                    raise CancelledError
                try:
                    takes.append(take_in(path))
                except ClevrinError as error:
                    troubles.append(str(error))
                progress.report(number + 1, len(chosen))
            return takes, troubles

        def done(result: tuple[list[Take], list[str]]) -> None:
            takes, troubles = result
            known = {take.fingerprint for take in self.session.project.takes}
            fresh: list[Take] = []
            for take in takes:
                if take.fingerprint in known:
                    troubles.append(f"{take.name} is here already.")
                else:
                    known.add(take.fingerprint)
                    fresh.append(take)
            if fresh:
                self.session.do(AddTakes(takes=tuple(fresh)))
                self.session.choose_take(fresh[0].id)
                self.log.look_at(reel=False)
            self.log.cards.trouble.tell("\n".join(troubles))

        what = f"Bringing in {chosen[0].name}" if len(chosen) == 1 else f"Bringing in {len(chosen)} files"
        key = ("take in", *map(str, chosen))
        self.jobs.start(Job(key=key, what=what, work=work, done=done, failed=self.trouble.tell))

    def render_to(self, path: Path) -> None:
        """Renders the reel to a file, in the background."""
        if path.suffix.lower() != ".mp4":
            path = path.with_name(path.name + ".mp4")
        request = ExportRequest(project=self.session.project, path=path)

        def work(progress: Progress) -> Path:
            with Sources(self._shelf, self._known) as sources:
                return export_reel(request, sources, progress)

        def done(written: Path) -> None:
            self.header.strip.tell(f"Rendered {written.name}")

        self.trouble.hide()
        self.jobs.start(
            Job(
                key=("render", str(path)),
                what=f"Rendering {path.name}",
                work=work,
                done=done,
                failed=self.trouble.tell,
            )
        )

    # Dialogs; none of them stops what is being computed

    def ask_for_takes(self) -> None:
        dialog = self._file_dialog("Add takes")
        dialog.setFileMode(QFileDialog.FileMode.ExistingFiles)
        dialog.filesSelected.connect(lambda names: self.add_files(Path(name) for name in names))
        dialog.open()

    def ask_to_open(self) -> None:
        dialog = self._file_dialog("Open a project", f"Clevrin projects (*{SUFFIX})")
        dialog.setFileMode(QFileDialog.FileMode.ExistingFile)
        dialog.fileSelected.connect(lambda name: self.open_project(Path(name)))
        dialog.open()

    def ask_to_save(self) -> None:
        dialog = self._file_dialog("Save with a name", f"Clevrin projects (*{SUFFIX})")
        dialog.setAcceptMode(QFileDialog.AcceptMode.AcceptSave)
        dialog.selectFile(self.session.project.name + SUFFIX)
        dialog.fileSelected.connect(lambda name: self.save_project(Path(name)))
        dialog.open()

    def ask_where_to_render(self) -> None:
        dialog = self._file_dialog("Render the reel", "Films (*.mp4)")
        dialog.setAcceptMode(QFileDialog.AcceptMode.AcceptSave)
        dialog.selectFile(f"{self.session.project.name}.mp4")
        dialog.fileSelected.connect(lambda name: self.render_to(Path(name)))
        dialog.open()

    def show_keys(self) -> None:
        """The key sheet, beside the window."""
        if self._key_sheet is None:
            self._key_sheet = _key_sheet(self)
        self._key_sheet.show()

    def _file_dialog(self, title: str, pattern: str = "") -> QFileDialog:
        dialog = QFileDialog(self, title)
        dialog.setObjectName("files")
        dialog.setOption(QFileDialog.Option.DontUseNativeDialog)
        dialog.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        if pattern:
            dialog.setNameFilter(pattern)
        return dialog

    # What happens

    def _run(self, action_id: str) -> None:
        entry = next(a for a in ACTIONS if a.id == action_id)
        if entry.when(self):
            entry.run(self)

    def _show_what_is_possible(self) -> None:
        history = self.session.history
        for entry in ACTIONS:
            action = self.actions_by_id[entry.id]
            possible = entry.when(self)
            # A shortcut of a disabled action would be lost on the widget below; `_run` asks again.
            action.setProperty("possible", possible)
            words = entry.words
            if entry.id == "undo" and history.undo_label:
                words = f"Undo: {history.undo_label}"
            if entry.id == "redo" and history.redo_label:
                words = f"Redo: {history.redo_label}"
            action.setText(words)

    def _on_session_project_changed(self) -> None:
        history = self.session.history
        self.header.show_history(history.undo_label, history.redo_label)
        self._show_name()
        self._show_dots()
        self._show_what_is_possible()

    def _show_name(self) -> None:
        self.header.show_project(self.session.project.name, self.session.saved, self.session.has_name)
        self.setWindowTitle(f"{self.session.project.name} – Clevrin")

    def _show_dots(self) -> None:
        shot = self.session.shot
        dots = set()
        if shot is not None:
            if shot.hold.how != "none":
                dots.add("steady")
            if shot.leave.kind != "plain cut" or shot.leave.dissolve_frames:
                dots.add("join")
        self.rail.show_dots(dots)

    def _on_reel_looked_at(self, frame: int) -> None:
        self.session.move_playhead(frame)
        if self._step == "log":
            self.log.look_at(reel=True)
            self.player.seek(frame)
        elif self._step == "steady":
            self.steady.look_at_reel_frame(frame)

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
        if event.type() == QEvent.Type.ActivationChange and not self.isActiveWindow():
            self.steady.show_before(False)  # B may be let go over another window
        super().changeEvent(event)

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if event.mimeData().hasUrls():
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        paths = [Path(url.toLocalFile()) for url in _local(event.mimeData().urls())]
        projects = [path for path in paths if path.suffix == SUFFIX]
        if projects:
            self.open_project(projects[0])
        self.add_files(path for path in _with_folders(paths) if path.suffix != SUFFIX)
        event.acceptProposedAction()

    def closeEvent(self, event: QCloseEvent) -> None:
        """Saves, stops what runs and keeps its pieces."""
        self.session.save_now()
        self.player.close()
        self.thumbnails.close()
        self.jobs.close()
        super().closeEvent(event)


def _local(urls: list[QUrl]) -> list[QUrl]:
    return [url for url in urls if url.isLocalFile()]


def _with_folders(paths: list[Path]) -> list[Path]:
    """Files as they are; of a folder, the files in it."""
    found: list[Path] = []
    for path in paths:
        found.extend(sorted(p for p in path.iterdir() if p.is_file()) if path.is_dir() else [path])
    return found


def _key_sheet(parent: QWidget) -> QDialog:
    dialog = QDialog(parent)
    dialog.setWindowTitle("Keys")
    grid = QGridLayout(dialog)
    grid.setContentsMargins(20, 16, 20, 16)
    grid.setHorizontalSpacing(24)
    rows = key_rows()
    half = -(-len(rows) // 2)
    for number, (keys, words) in enumerate(rows):
        key = QLabel(keys)
        key.setFont(theme.font(strong=True))
        column = 2 * (number // half)
        grid.addWidget(key, number % half, column)
        grid.addWidget(QLabel(words), number % half, column + 1)
    return dialog
