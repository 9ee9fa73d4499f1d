"""Rendering the reel from the window."""

from pathlib import Path

from clevrin.core.media.writing import carries_alpha, what_is_not_carried
from clevrin.core.progress import Progress
from clevrin.core.render.apart import export_apart
from clevrin.core.render.export import ExportRequest
from clevrin.desk.context import Context
from clevrin.desk.file_dialogs import FileDialogs
from clevrin.desk.jobs import Job


class Rendering:
    """Asks where to render to, and renders in the background, in a process of its own.

    `shelf`: the folder of what is measured.
    """

    def __init__(self, context: Context, files: FileDialogs, shelf: Path) -> None:
        self._context, self._files, self._shelf = context, files, shelf

    def ask_where(self, output_id: str | None = None) -> None:
        """Asks for the name of the file; `output_id`: what is rendered, None for the reel as it is."""
        project = self._context.session.project
        output = project.output(output_id)
        name = project.name if output is None else f"{project.name} {output.name}"
        title = "Render the reel" if output is None else f"Render {output.name}"
        pattern = "Films (*.mp4 *.mov)"

        def render(path: Path) -> None:
            self.render_to(path, output_id)

        self._files.ask_for_new(title, render, pattern, name=name, suffix=".mp4", also=".mov")

    def render_to(self, path: Path, output_id: str | None = None) -> None:
        """Renders the reel or an output of it to a file: MP4, or MOV where parts of it are to stay clear."""
        project, notices = self._context.session.project.through(output_id), self._context.notices
        if path.suffix.lower() != ".mp4" and not carries_alpha(path):
            path = path.with_name(path.name + ".mp4")
        notices.all_well()
        if not carries_alpha(path) and any(shot.hold.edge == "clear" for shot in project.reel.shots):
            notices.trouble(what_is_not_carried(path))
        request = ExportRequest(project=project, path=path)

        troubles: set[str] = set()

        def work(progress: Progress) -> Path:
            return export_apart(request, self._shelf, progress, troubles)

        def done(written: Path) -> None:
            notices.tell(f"Rendered {written.name} in {written.parent}", written)
            if troubles:
                notices.trouble("\n".join(sorted(troubles)))

        self._context.jobs.start(
            Job(
                key=("render", str(path)),
                what=f"Rendering {path.name}",
                work=work,
                done=done,
                failed=notices.trouble,
            )
        )
