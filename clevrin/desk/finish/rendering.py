"""Rendering from the window: asking where to, and putting it on the queue."""

from dataclasses import replace
from datetime import date
from pathlib import Path

from clevrin.core.delivery.steadied import steadied_takes
from clevrin.core.errors import ClevrinError
from clevrin.core.media.formats import FORMATS, PURPOSES, format_of
from clevrin.core.media.writing import carries_alpha, what_is_not_carried
from clevrin.core.render.export.export import ExportRequest
from clevrin.core.render.export.output_names import with_fields
from clevrin.core.render.resolving.reel_colour import reel_clear
from clevrin.desk.bench.context import Context
from clevrin.desk.finish.queue import RenderQueue
from clevrin.desk.widgets.file_dialogs import FileDialogs


class Rendering:
    """Asks where to render to, and has it rendered when it is its turn."""

    def __init__(self, context: Context, files: FileDialogs, queue: RenderQueue) -> None:
        self._context, self._files, self._queue = context, files, queue

    def ask_where(self, output_id: str | None = None) -> None:
        """Asks for the name of the file; `output_id`: what is rendered, None for the reel as it is."""
        project = self._context.session.project.through(output_id)
        self.ask(ExportRequest(project=project, path=self.suggested(output_id)), output_id)

    def suggested(self, output_id: str | None) -> Path:
        """What a render is called, without an ending: by its project and its output."""
        project = self._context.session.project
        output = project.output(output_id)
        return Path(project.name if output is None else f"{project.name} {output.name}")

    def ask(self, request: ExportRequest, output_id: str | None = None) -> None:
        """Asks for the place of a render, and puts it on the queue."""
        output = self._context.session.project.output(output_id)
        title = "Render the reel" if output is None else f"Render {output.name}"
        kind = None if request.kind is None else FORMATS[request.kind]
        suffix = ".mp4" if kind is None else "" if kind.in_folder else kind.suffix
        pattern = "Films (*.mp4 *.mov)" if kind is None else f"{kind.title} (*{suffix or '*'})"

        def render(path: Path) -> None:
            self.put(replace(request, path=path), None if output is None else output.name)

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
