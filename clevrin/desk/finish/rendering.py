"""Rendering from the window: to the place of last time, or asking where to, and putting it on the queue."""

from collections.abc import Callable
from contextlib import suppress
from dataclasses import replace
from datetime import date
from pathlib import Path

from clevrin.core.delivery.steadied import steadied_takes
from clevrin.core.errors import ClevrinError
from clevrin.core.media.formats import FORMATS, PURPOSES, format_of
from clevrin.core.media.writing import carries_alpha, what_is_not_carried
from clevrin.core.paths import is_folder
from clevrin.core.render.export.export import ExportRequest
from clevrin.core.render.export.output_names import free_path, with_fields
from clevrin.core.render.resolving.reel_colour import reel_clear
from clevrin.desk.bench.context import Context
from clevrin.desk.finish.queue import RenderQueue
from clevrin.desk.state.settings import Settings
from clevrin.desk.widgets.file_dialogs import FileDialogs

RenderWay = Callable[[ExportRequest, str | None, Callable[[], object]], object]
"""How something is rendered: the request, its output (None: the reel), what is called once it is on the queue."""


def _nothing() -> None:
    pass


class Rendering:
    """Knows where renders go, or asks where to, and has them rendered when it is their turn."""

    def __init__(self, context: Context, files: FileDialogs, queue: RenderQueue, settings: Settings) -> None:
        self._context, self._files, self._queue, self._settings = context, files, queue, settings

    @property
    def folder(self) -> Path | None:
        """Where renders went the last time; None where that was never, or is not there any more."""
        folder, _ = self._settings.render_place
        return Path(folder) if folder and is_folder(Path(folder)) else None

    @property
    def name(self) -> str:
        """What renders are called, with its fields; empty: by their project and output."""
        return self._settings.render_place[1]

    def call_them(self, name: str) -> None:
        """Renders from here on are called so. Raises `ClevrinError` for a field that there is not."""
        project = self._context.session.project
        with_fields(ExportRequest(project=project, path=Path(f"{name or 'reel'}.mp4")), None, date.today())
        self._settings.set_render_place(self._settings.render_place[0], name)

    def place_of(self, request: ExportRequest, output_id: str | None) -> Path | None:
        """Where a render would be put by itself: to a name that nothing has yet; None where nobody has said where to.

        Raises `ClevrinError` where the name cannot be.
        """
        folder, output = self.folder, self._context.session.project.output(output_id)
        if folder is None:
            return None
        name = self.name or "{project}"
        if output is not None and "{output}" not in name:
            name += " {output}"
        kind = FORMATS[request.kind or "h264"]
        suffix = "" if kind.in_folder else kind.suffix
        wanted = replace(request, path=folder / f"{Path(name).name}{suffix}")
        named = with_fields(wanted, None if output is None else output.name, date.today()).path
        return free_path(folder, named.name.removesuffix(suffix), suffix, self._queue.awaited)

    def render_again(
        self, request: ExportRequest, output_id: str | None = None, then: Callable[[], object] = _nothing
    ) -> None:
        """Puts a render on the queue, to the place of last time; asks for one where there was none.

        `then` is called once it is on the queue.
        """
        notices = self._context.notices
        notices.all_well()
        try:
            place = self.place_of(request, output_id)
        except ClevrinError as error:
            notices.trouble(str(error))
            return
        if place is None:
            self.ask(request, output_id, then)
            return
        output = self._context.session.project.output(output_id)
        self.put(replace(request, path=place), None if output is None else output.name)
        then()

    def ask_where(self, output_id: str | None = None) -> None:
        """Asks for the name of the file; `output_id`: what is rendered, None for the reel as it is."""
        project = self._context.session.project.through(output_id)
        self.ask(ExportRequest(project=project, path=self.suggested(output_id)), output_id)

    def suggested(self, output_id: str | None) -> Path:
        """What a render is called, without an ending: by its project and its output."""
        project = self._context.session.project
        output = project.output(output_id)
        return Path(project.name if output is None else f"{project.name} {output.name}")

    def ask(self, request: ExportRequest, output_id: str | None = None, then: Callable[[], object] = _nothing) -> None:
        """Asks for the place of a render, and puts it on the queue; then `then` is called."""
        output = self._context.session.project.output(output_id)
        title = "Render the reel" if output is None else f"Render {output.name}"
        kind = None if request.kind is None else FORMATS[request.kind]
        suffix = ".mp4" if kind is None else "" if kind.in_folder else kind.suffix
        pattern = "Films (*.mp4 *.mov)" if kind is None else f"{kind.title} (*{suffix or '*'})"

        def render(path: Path) -> None:
            with suppress(ClevrinError):  # then it is asked again the next time
                self._settings.set_render_place(str(path.parent), self.name)
            self.put(replace(request, path=path), None if output is None else output.name)
            then()

        also = ".mov" if kind is None else ""
        self._files.ask_for_new(title, render, pattern, name=str(request.path), suffix=suffix, also=also)

    def render_to(self, path: Path, output_id: str | None = None) -> None:
        """Renders the reel or an output of it to a file: MP4, or MOV where parts of it are to stay clear."""
        if path.suffix.lower() != ".mp4" and not carries_alpha(path):
            path = path.with_name(path.name + ".mp4")
        output = self._context.session.project.output(output_id)
        request = ExportRequest(project=self._context.session.project.through(output_id), path=path)
        self.put(request, None if output is None else output.name)

    def ask_for_steadied(self) -> None:
        """Asks for a folder, and has all takes rendered into it, each held."""
        self._files.ask_for_one("Steady all takes into a folder", self.steady_all_into, folder=True)

    def steady_all_into(self, folder: Path) -> None:
        """Puts a render of each take, held, on the queue."""
        notices = self._context.notices
        notices.all_well()
        try:
            requests = steadied_takes(self._context.session.project, folder)
        except ClevrinError as error:
            notices.trouble(str(error))
            return
        for request in requests:
            self._queue.add(request, "H.264, held")
        notices.tell(f"{len(requests)} takes on the queue, in Finish", None)

    def put(self, request: ExportRequest, output: str | None = None) -> None:
        """Puts a render on the queue; what its format cannot carry is said at once. `output`: its name, for fields."""
        notices = self._context.notices
        notices.all_well()
        try:
            named = with_fields(request, output, date.today())
            if named is not request and named.path.exists():  # nobody was asked about this name
                raise ClevrinError(f"{named.path.name} is there already: choose another name.")
            request = named
            kind = format_of(request.path, request.kind)
        except ClevrinError as error:
            notices.trouble(str(error))
            return
        if kind.kind == "film" and not kind.clear and reel_clear(request.project):
            notices.trouble(what_is_not_carried(request.path))
        purpose = "" if request.purpose is None else f", {PURPOSES[request.purpose]}"
        self._queue.add(request, f"{kind.title}{purpose}")
