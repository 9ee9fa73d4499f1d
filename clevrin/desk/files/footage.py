"""Files from outside: dropped, chosen or named at the start, they become takes, or are opened."""

from collections.abc import Iterable
from pathlib import Path

from clevrin.core.document.edits import RemoveTake
from clevrin.core.document.files import SUFFIX
from clevrin.desk.bench.context import Context
from clevrin.desk.files.exchanging import Exchanging
from clevrin.desk.files.projects import Projects
from clevrin.desk.music.edits import MusicEdits
from clevrin.desk.widgets.file_dialogs import ALL, FILMS, SOUND_SUFFIXES, FileDialogs


class Footage:
    """Asks for footage, and gives every file to whom it belongs."""

    def __init__(
        self, context: Context, files: FileDialogs, projects: Projects, exchanging: Exchanging, music: MusicEdits
    ) -> None:
        self._context, self._files, self._music = context, files, music
        self._projects, self._exchanging = projects, exchanging

    def open_files(self, paths: Iterable[Path]) -> None:
        """Opens a project or timeline that is among some files, brings films and folders in, and lays a sound."""
        chosen = list(paths)
        projects = [path for path in chosen if path.suffix == SUFFIX]
        timelines = [path for path in chosen if path.suffix == ".otio"]
        if projects:
            self._projects.open(projects[0])
        elif timelines:
            self._exchanging.open_timeline(timelines[0])
        music = [path for path in chosen if path.suffix.lower() in SOUND_SUFFIXES]
        if music:
            self._music.lay(music[0])
        others = [path for path in chosen if path.suffix not in (SUFFIX, ".otio") and path not in music]
        self._context.intake.add(others)

    def ask_for_takes(self) -> None:
        self._files.ask_for_several("Add takes", self._context.intake.add, FILMS, ALL)

    def ask_for_folder(self) -> None:
        self._files.ask_for_one("Add a folder of takes", lambda path: self._context.intake.add([path]), folder=True)

    def ask_to_find(self, take_id: str) -> None:
        """Asks where the file of a take is that is not where it was."""
        take = self._context.session.project.take(take_id)
        title = f"Where is {Path(take.path).name}?"
        self._files.ask_for_one(title, lambda path: self._context.intake.find(take, path), FILMS, ALL)

    def remove_take(self) -> None:
        """Takes the chosen take out of the project; its file stays."""
        take = self._context.session.take
        if take is not None:
            self._context.session.do(RemoveTake(take_id=take.id, label=f"Remove {take.name}"))
