"""File dialogs of the window's own face; none of them stops what is being computed."""

import re
from collections.abc import Callable
from pathlib import Path

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QFileDialog, QLineEdit, QWidget

FILMS = "Films (*.mp4 *.mov *.m4v *.mkv *.webm *.avi *.mts *.m2ts *.ts *.mpg *.mpeg *.mxf *.3gp *.wmv)"
TABLES = "Tables (*.csv)"
TIMELINES = "Timelines (*.otio)"
SOUND_SUFFIXES = (".wav", ".flac", ".mp3", ".aac", ".m4a", ".ogg", ".opus")
SOUNDS = f"Sounds ({' '.join(f'*{suffix}' for suffix in (*SOUND_SUFFIXES, '.mp4', '.mov', '.mkv'))})"
ALL = "All files (*)"


class FileDialogs:
    """Asks for files and folders, in windows beside the main one; knows nothing of what is done with them."""

    def __init__(self, window: QWidget) -> None:
        self._window = window

    def ask_for_several(self, title: str, use: Callable[[list[Path]], None], *patterns: str) -> None:
        dialog = self._dialog(title, *patterns)
        dialog.setFileMode(QFileDialog.FileMode.ExistingFiles)
        dialog.filesSelected.connect(lambda names: use([Path(name) for name in names]))
        dialog.open()

    def ask_for_one(self, title: str, use: Callable[[Path], None], *patterns: str, folder: bool = False) -> None:
        """Asks for a file that is there, or for a folder."""
        dialog = self._dialog(title, *patterns)
        mode = QFileDialog.FileMode.Directory if folder else QFileDialog.FileMode.ExistingFile
        dialog.setFileMode(mode)
        dialog.fileSelected.connect(lambda name: use(Path(name)))
        dialog.open()

    def ask_for_new(
        self, title: str, use: Callable[[Path], None], *patterns: str, name: str, suffix: str = "", also: str = ""
    ) -> None:
        """Asks for a name to write to; `suffix` is put behind one that has neither it nor `also`."""
        dialog = self._dialog(title, *patterns)
        dialog.setAcceptMode(QFileDialog.AcceptMode.AcceptSave)
        dialog.selectFile(name + suffix)

        def named(chosen: str) -> None:
            path = Path(chosen)
            known = not suffix or path.suffix.lower() in {suffix, also or suffix}
            use(path if known else path.with_name(path.name + suffix))

        dialog.fileSelected.connect(named)
        dialog.open()

    def _dialog(self, title: str, *patterns: str) -> QFileDialog:
        dialog = _Dialog(self._window, title)
        dialog.setObjectName("files")
        dialog.setOption(QFileDialog.Option.DontUseNativeDialog)
        dialog.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        if patterns:
            dialog.setNameFilters(list(patterns))
        dialog.follow_line()
        return dialog


class _Dialog(QFileDialog):
    """Takes several names in quotes as well, wherever they lie: Qt's own leaves off the folders that were typed."""

    def __init__(self, parent: QWidget, title: str) -> None:
        super().__init__(parent, title)
        self._whole: dict[str, Path] = {}
        """Whole paths that were typed, by their names: what is found of them is written back without its folder."""

    def follow_line(self) -> None:
        """Reads along what is typed."""
        line = self.findChild(QLineEdit, "fileNameEdit")
        if line is not None:
            line.textChanged.connect(self._on_text_changed)

    def _on_text_changed(self, text: str) -> None:
        self._whole |= {Path(name).name: Path(name) for name in _quoted(text) if Path(name).is_absolute()}

    def accept(self) -> None:
        line = self.findChild(QLineEdit, "fileNameEdit")
        typed = _quoted(line.text()) if line is not None else []
        if self.fileMode() != QFileDialog.FileMode.ExistingFiles or len(typed) < 2:
            super().accept()
            return
        folder = Path(self.directory().absolutePath())
        names = [folder / name if (folder / name).exists() else self._whole.get(name, folder / name) for name in typed]
        self.filesSelected.emit([str(name) for name in names])  # who uses them says which are not there
        self.done(QFileDialog.DialogCode.Accepted)


def _quoted(text: str) -> list[str]:
    return re.findall(r'"([^"]+)"', text)
