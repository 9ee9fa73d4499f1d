"""Rendering one take by itself, for the commands that do, and reading what their options say."""

import json as json_module
import re
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass
from fractions import Fraction
from functools import cached_property
from pathlib import Path
from typing import TYPE_CHECKING

import typer

from clevrin.cli.options import number
from clevrin.cli.terminal import print_line, shown
from clevrin.core.document import Area, AreaPart, Filmed, Motion, Placement, Project, Shot, Take, Track
from clevrin.core.document.edits import AddTakes
from clevrin.core.document.files import making_sense, read_text
from clevrin.core.errors import ClevrinError
from clevrin.core.media.probe import fingerprint
from clevrin.core.outputs import write_text

if TYPE_CHECKING:
    from clevrin.core.hold import HeldPath
    from clevrin.core.motion.trace.trace import Trace
    from clevrin.core.render.reports.gate_report import GateFigures
    from clevrin.core.render.reports.pace_report import FrameFigures
    from clevrin.core.render.resolving.resolving import ResolvedShot
    from clevrin.core.render.sources import Sources

LEAST_SIDE, MOST_SIDE = 16, 8192


@dataclass(frozen=True, kw_only=True)
class OneTake:
    """A take, the shot of it that is rendered, who lends it motion, and the reel's size and rate (None: the take's)."""

    take: Take
    shot: Shot
    lender: Take | Motion | None = None
    size: tuple[int, int] | None = None
    rate: Fraction | None = None

    @property
    def project(self) -> Project:
        """A project with a reel of this shot alone."""
        project = AddTakes(takes=(self.take,)).apply(Project(name=self.take.name))
        if isinstance(self.lender, Take):
            project = project.changed(takes=(*project.takes, self.lender))
        elif self.lender is not None:
            project = project.changed(motions=(self.lender,))
        reel = project.reel.changed(shots=(self.shot,))
        if self.size is not None:
            reel = reel.changed(width=self.size[0], height=self.size[1])
        if self.rate is not None:
            reel = reel.changed(rate=self.rate)
        return project.changed(reel=reel)


@dataclass(frozen=True, kw_only=True, eq=False)
class Rendered:
    """What was rendered, for a report of it: `trace` is None where nobody asked how the camera moved."""

    resolved: "ResolvedShot"
    trace: "Trace | None"
    size: tuple[int, int]
    sources: "Sources"
    project: Project

    @cached_property
    def pace(self) -> "list[FrameFigures]":
        from clevrin.core.pace import placed_shots
        from clevrin.core.render.reports.pace_report import pace_figures

        return pace_figures(self.resolved, placed_shots(self.project)[0], self.size, self.sources.films)

    @cached_property
    def figures(self) -> "GateFigures":
        from clevrin.core.render.reports.gate_report import gate_figures

        return gate_figures(self.resolved, self.sources.measured, self.size)

    @property
    def path(self) -> "HeldPath | None":
        from clevrin.core.render.resolving.resolving import Held

        return self.resolved.state.path if isinstance(self.resolved.state, Held) else None


def render_one(
    one: OneTake,
    out: Path,
    what: str,
    report: Path | None = None,
    told: Callable[[Rendered], str] | None = None,
    say: Callable[[Rendered], None] | None = None,
) -> None:
    """Renders a single shot on a reel made after its take, and writes what is `told` of it as its report.

    `say` prints what has to be said of it beside what is said of every take.
    """
    from clevrin.core.render.export.export import ExportRequest, export_reel
    from clevrin.core.render.resolving.hold_request import HoldRequest
    from clevrin.core.render.resolving.resolving import resolve
    from clevrin.core.render.sources import Sources

    project = one.project
    troubles: set[str] = set()
    with Sources.of() as sources:
        with shown(what) as progress:
            export_reel(ExportRequest(project=project, path=out), sources, progress, troubles)
        rendered = Rendered(
            resolved=resolve(HoldRequest.of(project, one.shot), sources.measured),
            trace=sources.measured.trace(one.take),
            size=project.reel.size,
            sources=sources,
            project=project,
        )
        _say_what_is_odd(rendered)
        if say is not None:
            say(rendered)
        for sentence in sorted(troubles):
            print_line(sentence)
        if report is not None and told is not None:
            write_text(report, told(rendered), [Path(one.take.path), out])


def _say_what_is_odd(rendered: Rendered) -> None:
    """What a hold could do nothing about, in a sentence."""
    take, path, trace = rendered.resolved.take, rendered.path, rendered.trace
    held = rendered.resolved.shot.hold.how != "none"
    if held and take.facts.frames < 2:
        print_line(f"{take.name} has a single frame: there is no motion to hold.")
    elif held and trace is not None and trace.blind:
        print_line(f"{take.name} shows nothing that could be followed: it stays as it was shot.")
    if path is not None and path.bridged.any():
        print_line(f"The point was not seen in {int(path.bridged.sum())} frames: they are bridged.")


_MOST = 100_000


def numbers(text: str, count: int, names: str, hint: str) -> list[float]:
    """Numbers of an option, separated by commas; raises `BadParameter` with the names of what is meant."""
    parts = text.split(",")
    try:
        if len(parts) != count:
            raise typer.BadParameter(text)
        return [number(part, -_MOST, _MOST) for part in parts]
    except typer.BadParameter as error:
        raise typer.BadParameter(f"'{text[:100]}' is not {names}", param_hint=hint) from error


def size_of(text: str, hint: str = "--size") -> tuple[int, int]:
    """Width and height of a film; raises for what is none, and for what cannot be written."""
    found = re.fullmatch(r"(\d{1,5})x(\d{1,5})", text)
    if found is None:
        raise typer.BadParameter(f"'{text}' is not a size as 1920x1080", param_hint=hint)
    return writable(int(found[1]), int(found[2]))


def writable(width: int, height: int) -> tuple[int, int]:
    """The size of a film; raises for one that cannot be written."""
    if min(width, height) < LEAST_SIDE or max(width, height) > MOST_SIDE or width % 2 or height % 2:
        raise ClevrinError(
            f"Pictures of {width}x{height} cannot be written: {LEAST_SIDE} to {MOST_SIDE} pixels, even, can."
        )
    return width, height


def nine_each(maps: Iterable[Sequence[float]]) -> list[list[float]]:
    """Maps for a report, row by row: nine numbers each, to nine digits."""
    return [[float(f"{v:.9g}") for v in each] for each in maps]


def point_in(text: str, take: Take, hint: str, name: str) -> Track:
    """A track of the point that an option names as frame,x,y in pixels of the source."""
    frame, x, y = numbers(text, 3, "frame,x,y", hint)
    if not 0 <= frame < take.facts.frames or frame != int(frame):
        raise ClevrinError(f"{take.name} has {take.facts.frames} frames: there is no frame {frame:g}.")
    if not (0 <= x < take.facts.width and 0 <= y < take.facts.height):
        raise ClevrinError(f"{take.name} is {take.facts.width}x{take.facts.height}: there is no point {x:g},{y:g}.")
    return Track(name=name, kind="point", placed=(Placement(frame=int(frame), places=((x, y),)),))


def area_in(path: Path, id: str) -> Area:
    """An area as a film shows it, or as a report of the command area has it."""
    if path.suffix.lower() == ".json":
        with making_sense(path.name):
            data = json_module.loads(read_text(path, "a report of an area"))
            return Area.model_validate(data["area"]).changed(id=id)
    if not path.is_file():
        raise ClevrinError(f"{path} is not a film of an area.")
    filmed = Filmed(name=path.name, path=str(path.resolve()), fingerprint=fingerprint(path))
    return Area(id=id, name=path.stem[:500], parts=(AreaPart(of=filmed),))


def place_of(text: str, hint: str = "--place") -> tuple[float, float]:
    """A place in the gate as shares of its width and height."""
    shares = numbers(text, 2, "x,y with numbers from 0 to 1", hint)
    if not all(0 <= share <= 1 for share in shares):
        raise typer.BadParameter(f"'{text}' is not within 0 to 1", param_hint=hint)
    return shares[0], shares[1]
