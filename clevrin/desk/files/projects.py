"""Projects as files: begun, opened, saved, packed, and found again after a crash."""

from pathlib import Path

from clevrin.core.document.files import SUFFIX
from clevrin.core.document.packing import pack
from clevrin.core.errors import ClevrinError, DocumentError
from clevrin.desk.background.jobs import Job
from clevrin.desk.bench.context import Context
from clevrin.desk.files.recovery import offer_left_behind, open_or_offer
from clevrin.desk.widgets.file_dialogs import FileDialogs
from clevrin.desk.widgets.offer import OfferBar

_PROJECTS = f"Clevrin projects (*{SUFFIX})"


class Projects:
    """What the user does with projects; what cannot be done is told, and what is open stays open."""

    def __init__(self, context: Context, files: FileDialogs, offers: OfferBar) -> None:
        self._context, self._files, self._offers = context, files, offers
        self._session, self._notices = context.session, context.notices

    def begin_new(self) -> None:
        self._context.player.stop()
        self._notices.all_well()
        self._session.begin_new()

    def ask_to_open(self) -> None:
        self._files.ask_for_one("Open a project", self.open, _PROJECTS)

    def open(self, path: Path) -> None:
        """Opens a project, or says in a sentence why not, and keeps what is open."""
        self._context.player.stop()
        self._notices.all_well()
        sentence = open_or_offer(self._session, self._offers, path)
        if sentence is not None:
            self._notices.trouble(sentence)

    def open_demo(self) -> None:
        """Opens the demo project, with what was changed in it before."""
        # With them comes all that draws the demo's world.
        from clevrin.demo.measured import lay_out
        from clevrin.demo.project import demo_file

        lay_out(self._context.measurements.store.shelf)
        try:
            path = demo_file()
        except ClevrinError as error:
            self._notices.trouble(str(error))
        else:
            self.open(path)

    def offer_what_was_left(self, journal_folder: Path) -> None:
        """Offers the changes of windows that ended without a goodbye."""
        offer_left_behind(self._session, self._offers, journal_folder)

    def save(self) -> None:
        """Saves the project, asking for a name where it has none."""
        if self._session.has_name:
            self._session.save()
        else:
            self.ask_to_save()

    def ask_to_save(self) -> None:
        name = self._session.project.name
        self._files.ask_for_new("Save with a name", self.save_as, _PROJECTS, name=name, suffix=SUFFIX)

    def save_as(self, path: Path) -> None:
        try:
            self._session.save_as(path)
        except DocumentError as error:
            self._notices.trouble(str(error))
        else:
            self._notices.all_well()

    def ask_where_to_pack(self) -> None:
        self._files.ask_for_new("Pack into a new folder", self.pack_into, name=self._session.project.name)

    def pack_into(self, folder: Path) -> None:
        """Copies the project and its media into a new folder, in the background."""
        project = self._session.project
        self._notices.all_well()
        self._context.jobs.start(
            Job(
                key=("pack", str(folder)),
                what=f"Packing into {folder.name}",
                work=lambda progress: pack(project, folder, progress),
                done=lambda written: self._notices.tell(f"Packed into {written.parent.name}", written),
                failed=self._notices.trouble,
            )
        )
