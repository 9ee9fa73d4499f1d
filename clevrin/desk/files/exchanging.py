"""What is read from other tools and handed on to them: timelines, take lists, tracks and motions."""

from collections.abc import Callable
from pathlib import Path
from typing import Protocol

from clevrin.core.document.edits import SetTakes
from clevrin.core.document.files import read_text
from clevrin.core.errors import ClevrinError, MediaError
from clevrin.core.exchange.take_list import take_list_csv, with_take_list
from clevrin.core.exchange.timeline_reading import Imported, read_timeline
from clevrin.core.exchange.timeline_writing import not_carried, timeline_text
from clevrin.core.outputs import write_text
from clevrin.desk.background.jobs import Job
from clevrin.desk.bench.context import Context
from clevrin.desk.widgets.file_dialogs import TABLES, TIMELINES, FileDialogs


class TrackTables(Protocol):
    """Who has the chosen track of the chosen take."""

    def chosen_as_csv(self) -> str | None: ...

    def add_from(self, path: Path) -> None: ...


class MotionTables(Protocol):
    """Who lends a motion to the chosen shot."""

    def read_motion(self, path: Path) -> None: ...


class Exchanging:
    """Asks for the files of other tools, reads and writes them; what cannot be read changes nothing."""

    def __init__(
        self, context: Context, files: FileDialogs, tracks: TrackTables, motions: Callable[[], MotionTables]
    ) -> None:
        self._context, self._files, self._tracks, self._motions = context, files, tracks, motions
        self._session, self._notices = context.session, context.notices

    # Timelines

    def ask_for_timeline(self) -> None:
        self._files.ask_for_one("Open an OTIO timeline", self.open_timeline, TIMELINES)

    def open_timeline(self, path: Path) -> None:
        """Makes a new project of an OTIO timeline; what it has that a reel has not is listed."""

        def done(imported: Imported) -> None:
            self._session.begin_of(imported.project)
            self._notices.trouble("\n".join(imported.left_out[:8]))

        self._notices.all_well()
        self._context.jobs.start(
            Job(
                key=("timeline", str(path)),
                what=f"Reading {path.name}",
                work=lambda _: read_timeline(path),
                done=done,
                failed=self._notices.trouble,
            )
        )

    def ask_where_to_put_timeline(self) -> None:
        name = self._session.project.name
        self._files.ask_for_new("Hand the reel on", self.write_timeline, TIMELINES, name=name, suffix=".otio")

    def write_timeline(self, path: Path) -> None:
        project = self._session.project
        self._write(path, timeline_text(project), not_carried(project))

    # Take lists

    def ask_for_take_list(self) -> None:
        self._files.ask_for_one("Read a take list", self.read_take_list, TABLES)

    def read_take_list(self, path: Path) -> None:
        """Gives the takes the marks, notes and spans of a list."""
        try:
            takes = with_take_list(self._session.project, read_text(path, "a table")).takes
        except ClevrinError as error:
            self._notices.trouble(str(error))
        else:
            self._session.do(SetTakes(takes=takes, label="Read take list"))

    def ask_where_to_put_takes(self) -> None:
        name = self._session.project.name
        self._files.ask_for_new("Hand the take list on", self.write_take_list, TABLES, name=name, suffix=".csv")

    def write_take_list(self, path: Path) -> None:
        self._write(path, take_list_csv(self._session.project.takes))

    # Tracks and motions

    def ask_for_track(self) -> None:
        self._files.ask_for_one("Read a track", self.read_track, TABLES)

    def read_track(self, path: Path) -> None:
        """Gives the chosen take a track from a CSV."""
        try:
            self._tracks.add_from(path)
        except ClevrinError as error:
            self._notices.trouble(str(error))

    def ask_where_to_put_track(self) -> None:
        name = self._session.project.name
        self._files.ask_for_new("Hand the track on", self.write_track, TABLES, name=name, suffix=".csv")

    def write_track(self, path: Path) -> None:
        """Writes the chosen track of the chosen take as CSV."""
        text = self._tracks.chosen_as_csv()
        if text is not None:
            self._write(path, text)

    def ask_for_motion(self) -> None:
        self._files.ask_for_one("Read a motion", self._motions().read_motion, TABLES)

    def _write(self, path: Path, text: str, beside: tuple[str, ...] = ()) -> None:
        """`beside`: what is to be said of it."""
        try:
            write_text(path, text, [self._session.path, *self._session.project.media])
        except MediaError as error:
            self._notices.trouble(str(error))
        else:
            self._notices.tell(" ".join((f"Wrote {path.name} in {path.parent}", *beside)), path)
