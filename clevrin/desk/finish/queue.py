"""Renders that wait for their turn, one after the other, while editing goes on: each of the reel as it was then."""

from dataclasses import dataclass, replace
from pathlib import Path
from typing import Literal

from PySide6.QtCore import QObject, Signal

from clevrin.core.document.value import new_id
from clevrin.core.media.formats import format_of
from clevrin.core.outputs import clear_parts
from clevrin.core.progress import Progress
from clevrin.core.render.export.child_process import export_apart
from clevrin.core.render.export.export import ExportRequest
from clevrin.desk.background.jobs import Job, JobRunner
from clevrin.desk.state.notices import Notices

State = Literal["waiting", "rendering", "paused", "done", "failed"]
_MOST = 200
"""Renders that have ended are remembered no longer than this."""


@dataclass(frozen=True, kw_only=True)
class Render:
    """A render in the queue: what is rendered as it was when it was asked for, and how it stands.

    `done` of `total` frames; `left_s`: about how long it still takes, None: not known yet; `doing`: what it is at where
    that is not making frames.
    """

    id: str
    request: ExportRequest
    words: str
    state: State = "waiting"
    done: int = 0
    total: int = 0
    left_s: float | None = None
    sentence: str = ""
    doing: str = ""

    @property
    def is_sound(self) -> bool:
        """Whether it is a file of sound alone."""
        return format_of(self.request.path, self.request.kind).kind == "sound"

    @property
    def ended(self) -> bool:
        return self.state in ("done", "failed")


class RenderQueue(QObject):
    """One film and one sound are made at a time, each in a process of its own; what is paused goes on where it was."""

    changed = Signal()
    ended = Signal(str)
    """A render has ended: its name, and how, for who looks elsewhere meanwhile."""

    def __init__(self, jobs: JobRunner, notices: Notices, shelf: Path, parent: QObject | None = None) -> None:
        """`shelf`: the folder of what is measured."""
        super().__init__(parent)
        self._jobs, self._notices, self._shelf = jobs, notices, shelf
        self._renders: list[Render] = []
        jobs.states_changed.connect(self._on_jobs_states_changed)

    @property
    def renders(self) -> tuple[Render, ...]:
        return tuple(self._renders)

    @property
    def awaited(self) -> frozenset[Path]:
        """Where something is going to be, or is being written."""
        return frozenset(each.request.path for each in self._renders if not each.ended)

    def add(self, request: ExportRequest, words: str) -> str:
        """Puts a render at the end; returns its id."""
        made = Render(id=new_id(), request=replace(request, resume=True), words=words)
        ended = [each for each in self._renders if each.ended]
        if len(self._renders) >= _MOST and ended:
            self._renders.remove(ended[0])
        self._renders.append(made)
        self._begin_next()
        return made.id

    def pause(self, render_id: str) -> None:
        """Stops a render, or keeps it from beginning; what is finished of it stays."""
        render = self._of(render_id)
        if render.state in ("waiting", "rendering"):
            self._put(replace(render, state="paused", left_s=None))
            self._jobs.stop(_key(render))
            self._begin_next()

    def resume(self, render_id: str) -> None:
        """Has a render that was paused, or that failed, made when it is its turn."""
        render = self._of(render_id)
        if render.state in ("paused", "failed"):
            self._put(replace(render, state="waiting", sentence=""))
            self._begin_next()

    def sooner(self, render_id: str) -> None:
        """Puts a render before the one before it."""
        at = self._renders.index(self._of(render_id))
        if at > 0:
            self._renders.insert(at - 1, self._renders.pop(at))
            self.changed.emit()

    def remove(self, render_id: str) -> None:
        """Takes a render off the queue; what is finished of one that has not ended is thrown away."""
        render = self._of(render_id)
        self._renders.remove(render)
        self._jobs.stop(_key(render))
        if not render.ended:
            # With the same key: it begins when the one that was stopped has ended.
            clear = lambda _: clear_parts(render.request.path)  # noqa: E731
            self._jobs.start(Job(key=_key(render), what="Tidying up", work=clear, done=lambda _: None, quiet=True))
        self._begin_next()

    def _of(self, render_id: str) -> Render:
        return next(each for each in self._renders if each.id == render_id)

    def _put(self, render: Render) -> None:
        at = next(k for k, each in enumerate(self._renders) if each.id == render.id)
        self._renders[at] = render

    def _begin_next(self) -> None:
        """Begins the next film where none is made; sound, which is soon done, waits for no film."""
        for sound in (False, True):
            of_its_kind = [each for each in self._renders if each.is_sound == sound]
            if not any(each.state == "rendering" for each in of_its_kind):
                waiting = next((each for each in of_its_kind if each.state == "waiting"), None)
                if waiting is not None:
                    self._begin(waiting)
        self.changed.emit()

    def _begin(self, render: Render) -> None:
        render = replace(render, state="rendering")
        self._put(render)
        troubles: set[str] = set()

        def work(progress: Progress) -> Path:
            return export_apart(render.request, self._shelf, progress, troubles)

        def done(written: Path) -> None:
            said = "\n".join(sorted(troubles))
            self._end(replace(self._of(render.id), state="done", left_s=0.0, sentence=said))
            self._notices.tell(f"Rendered {written.name} in {written.parent}", written)
            if troubles:
                self._notices.trouble(said)

        def failed(sentence: str) -> None:
            self._end(replace(self._of(render.id), state="failed", left_s=None, sentence=sentence))
            self._notices.trouble(sentence)

        name = render.request.path.name
        self._jobs.start(Job(key=_key(render), what=f"Rendering {name}", work=work, done=done, failed=failed))

    def _end(self, render: Render) -> None:
        self._put(render)
        self.ended.emit(f"{render.request.path.name}: {render.state}")
        self._begin_next()

    def _on_jobs_states_changed(self) -> None:
        """How far the renders are that are made now; one that was stopped in the strip is paused."""
        for render in [each for each in self._renders if each.state == "rendering"]:
            self._follow(render)

    def _follow(self, render: Render) -> None:
        state = self._jobs.state_of(_key(render))
        if state is None:
            self._put(replace(render, state="paused", left_s=None))
            self._begin_next()
            return
        self._put(replace(render, done=state.done, total=state.total, left_s=state.left_s, doing=state.doing))
        self.changed.emit()


def _key(render: Render) -> tuple[str, str]:
    return "render", str(render.request.path)
