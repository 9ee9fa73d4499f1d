"""The file dialogs, and what is done with the files that are named; none of them stops what is being computed."""

from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QFileDialog

from clevrin.core.document.files import SUFFIX

if TYPE_CHECKING:
    from clevrin.desk.window import MainWindow

_PROJECTS = f"Clevrin projects (*{SUFFIX})"
_TIMELINES = "Timelines (*.otio)"


class FileDialogs:
    """Asks for files and folders, in windows beside the main one."""

    def __init__(self, window: "MainWindow") -> None:
        self._window = window

    def ask_for_takes(self) -> None:
        window = self._window
        dialog = self._dialog("Add takes")
        dialog.setFileMode(QFileDialog.FileMode.ExistingFiles)
        dialog.filesSelected.connect(lambda names: window.intake.add(Path(name) for name in names))
        dialog.open()

    def ask_for_folder(self) -> None:
        window = self._window
        self._existing("Add a folder of takes", lambda path: window.intake.add([path]), folder=True)

    def ask_to_find(self, take_id: str) -> None:
        take = self._window.session.project.take(take_id)
        self._existing(f"Where is {Path(take.path).name}?", lambda path: self._window.intake.find(take, path))

    def ask_to_open(self) -> None:
        self._existing("Open a project", self._window.open_project, _PROJECTS)

    def ask_for_timeline(self) -> None:
        self._existing("Open an OTIO timeline", self._window.open_timeline, _TIMELINES)

    def ask_for_take_list(self) -> None:
        self._existing("Read a take list", self._window.read_take_list, "Tables (*.csv)")

    def ask_to_save(self) -> None:
        self._new("Save with a name", SUFFIX, self._window.save_project, _PROJECTS)

    def ask_where_to_pack(self) -> None:
        self._new("Pack into a new folder", "", self._window.pack_into)

    def ask_where_to_render(self) -> None:
        self._new("Render the reel", ".mp4", self._window.render_to, "Films (*.mp4 *.mov)", also=".mov")

    def ask_where_to_put_timeline(self) -> None:
        self._new("Hand the reel on", ".otio", self._window.write_timeline, _TIMELINES)

    def ask_where_to_put_takes(self) -> None:
        self._new("Hand the take list on", ".csv", self._window.write_take_list, "Tables (*.csv)")

    def ask_for_track(self) -> None:
        self._existing("Read a track", self._window.read_track, "Tables (*.csv)")

    def ask_for_motion(self) -> None:
        self._existing("Read a motion", self._window.steady.edits.read_motion, "Tables (*.csv)")

    def ask_where_to_put_track(self) -> None:
        self._new("Hand the track on", ".csv", self._window.write_track, "Tables (*.csv)")

    def _existing(self, title: str, use: Callable[[Path], None], pattern: str = "", *, folder: bool = False) -> None:
        dialog = self._dialog(title, pattern)
        mode = QFileDialog.FileMode.Directory if folder else QFileDialog.FileMode.ExistingFile
        dialog.setFileMode(mode)
        dialog.fileSelected.connect(lambda name: use(Path(name)))
        dialog.open()

    def _new(self, title: str, suffix: str, use: Callable[[Path], None], pattern: str = "", also: str = "") -> None:
        """`suffix` is put behind a name that has neither it nor `also`."""
        dialog = self._dialog(title, pattern)
        dialog.setAcceptMode(QFileDialog.AcceptMode.AcceptSave)
        dialog.selectFile(self._window.session.project.name + suffix)

        def named(name: str) -> None:
            path = Path(name)
            known = not suffix or path.suffix.lower() in {suffix, also or suffix}
            use(path if known else path.with_name(path.name + suffix))

        dialog.fileSelected.connect(named)
        dialog.open()

    def _dialog(self, title: str, pattern: str = "") -> QFileDialog:
        dialog = QFileDialog(self._window, title)
        dialog.setObjectName("files")
        dialog.setOption(QFileDialog.Option.DontUseNativeDialog)
        dialog.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        if pattern:
            dialog.setNameFilter(pattern)
        return dialog
