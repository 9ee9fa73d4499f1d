"""The reel handed on to others, with films and motion, and its report: what goes along is chosen in a side sheet."""

from collections.abc import Callable
from dataclasses import dataclass, replace
from pathlib import Path
from typing import TypeVar

from PySide6.QtWidgets import QWidget

from clevrin.core.progress import Progress
from clevrin.core.render.sources import Sources
from clevrin.desk.background.jobs import Job
from clevrin.desk.bench.context import Context
from clevrin.desk.bench.side_sheet import SideSheet
from clevrin.desk.files.printing import report_to
from clevrin.desk.finish.sheet import how_many
from clevrin.desk.widgets.fields import Choice, Field, FieldSheet, Number
from clevrin.desk.widgets.file_dialogs import FileDialogs
from clevrin.desk.widgets.sheet import beside, plain_button, quiet_label

T = TypeVar("T")
_MOST_HANDLES = 250
_PAGES = "Pages and prints (*.html *.pdf)"
_WITH_IT = (
    ("shots", "shots", "Each shot as a film of its own, in ProRes 422"),
    ("stills", "stills", "The middle of each shot as a picture of 16 bits"),
    ("motion", "motion", "How each take's camera moved, and where each shot's pictures come from, as tables"),
    ("areas", "areas", "The areas of the takes as films of grey"),
)


@dataclass(frozen=True, kw_only=True)
class Wanted:
    """What goes along with the timeline and its markers, by its names; the rest is of the shots' films."""

    with_it: frozenset[str] = frozenset({"shots", "motion"})
    handles: int = 12
    held: bool = True


class HandingOn:
    """Asks for the places, and writes in the background; the window goes on meanwhile."""

    def __init__(self, context: Context, files: FileDialogs) -> None:
        self._context, self._files = context, files
        self.wanted = Wanted()
        self.changed: Callable[[], object] = lambda: None

    def toggle(self, name: str) -> None:
        self.change(with_it=self.wanted.with_it ^ {name})

    def change(self, **values: object) -> None:
        self.wanted = replace(self.wanted, **values)  # type: ignore[arg-type]
        self.changed()

    def ask_where(self) -> None:
        """Asks for the name of a new folder."""
        name = self._context.session.project.name
        self._files.ask_for_new("Hand the reel on into a new folder", self.write, name=f"{name} handed on")

    def write(self, folder: Path) -> None:
        """Writes the folder, whole or not at all, and tells what others will not see as it is here."""
        from clevrin.core.delivery.handing_on import HandOnRequest, hand_on

        context, wanted = self._context, self.wanted
        request = HandOnRequest(
            project=context.session.project,
            folder=folder,
            handles=wanted.handles,
            held=wanted.held,
            shots="shots" in wanted.with_it,
            stills="stills" in wanted.with_it,
            motion="motion" in wanted.with_it,
            areas="areas" in wanted.with_it,
        )

        def work(progress: Progress) -> tuple[str, ...]:
            with Sources.of(context.measurements.store, onward=True) as sources:
                return hand_on(request, sources, progress)

        def done(remarks: tuple[str, ...]) -> None:
            context.notices.tell(" ".join((f"Handed on into {folder.name} in {folder.parent}", *remarks)), folder)

        self._begin(("hand on", str(folder)), f"Handing on into {folder.name}", work, done)

    def ask_where_to_report(self) -> None:
        """Asks for the name of a page or a print."""
        name = self._context.session.project.name
        self._files.ask_for_new("Write a report", self.report, _PAGES, name=name, suffix=".html", also=".pdf")

    def report(self, path: Path) -> None:
        """Writes a report of the reel: its pictures, shots, joins, and what is not right."""
        context = self._context
        project, own = context.session.project, context.session.path
        never = [*([] if own is None else [own]), *project.media]

        def work(progress: Progress) -> int:
            with Sources.of(context.measurements.store, light=True) as sources:
                return len(report_to(project, path, never, sources, progress))

        def done(marks: int) -> None:
            told = f"Wrote {path.name} in {path.parent}: {how_many(marks, 'thing')} to look at"
            context.notices.tell(told, path)

        self._begin(("report", str(path)), f"Writing {path.name}", work, done)

    def _begin(self, key: tuple[str, str], what: str, work: Callable[[Progress], T], done: Callable[[T], None]) -> None:
        notices = self._context.notices
        notices.all_well()
        self._context.jobs.start(Job(key=key, what=what, work=work, done=done, failed=notices.trouble))


FIELDS: tuple[Field[Wanted, HandingOn], ...] = (
    Choice(
        id="with it",
        page="",
        title="With the timeline",
        help="What goes along with the timeline, its markers and the checksums of all files",
        options=_WITH_IT,
        columns=2,
        several=True,
        value=lambda wanted: tuple(sorted(wanted.with_it)),
        edit=lambda edits, name, gesture: edits.toggle(name),
    ),
    Choice(
        id="held",
        page="",
        title="Shots",
        help="Whether the films of the shots are as the reel shows them",
        options=(
            ("held", "as on the reel", "Held and framed"),
            ("as shot", "as shot", "Neither held nor framed: so that others do it their way, by the motion"),
        ),
        columns=2,
        value=lambda wanted: "held" if wanted.held else "as shot",
        edit=lambda edits, key, gesture: edits.change(held=key == "held"),
        shown=lambda wanted: "shots" in wanted.with_it,
    ),
    Number(
        id="handles",
        page="",
        title="Handles",
        help="So many frames more at either end of each shot's film, as far as its take has them",
        low=0,
        high=_MOST_HANDLES,
        step=1,
        default=12,
        words=lambda frames: how_many(round(frames), "frame"),
        value=lambda wanted: wanted.handles,
        edit=lambda edits, frames, gesture: edits.change(handles=round(frames)),
        shown=lambda wanted: "shots" in wanted.with_it,
    ),
)


class HandOnSheet(SideSheet):
    """What is handed on, and the report."""

    def __init__(self, context: Context, edits: HandingOn, parent: QWidget | None = None) -> None:
        super().__init__(FieldSheet("Hand on", FIELDS), context, edits, parent)
        self.folder_button = plain_button("Into a new folder…", "Asks for its name, and writes all of it there")
        self.report_button = plain_button("Write a report…", "A page or a print: shots, joins, and what is not right")
        self.empty_note = quiet_label("There is nothing on the reel yet.")
        self.sheet.add(*self.sheet.controls.values(), beside(self.folder_button), beside(self.report_button))
        self.sheet.add(self.empty_note, self.trouble)
        self.sheet.add_stretch()
        self.let_run(((self.folder_button, edits.ask_where), (self.report_button, edits.ask_where_to_report)))
        edits.changed = self.refresh
        self.refresh()

    def refresh(self) -> None:
        """Shows what is wanted, and whether there is a reel."""
        self.sheet.show_fields(self._edits.wanted)
        there = bool(self._context.session.project.reel.shots)
        self.folder_button.setEnabled(there)
        self.report_button.setEnabled(there)
        self.empty_note.setVisible(not there)
