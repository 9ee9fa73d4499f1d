"""Rendering the reel to a film, to pictures, a loop or its sound; what is written is whole or absent."""

import math
from collections.abc import Callable, Iterator
from contextlib import closing, contextmanager
from dataclasses import dataclass
from functools import cached_property
from pathlib import Path

import numpy as np

from clevrin.core.document import Project, Span
from clevrin.core.errors import ClevrinError, MediaError
from clevrin.core.media.binding import bind_film, bind_pictures, write_sound
from clevrin.core.media.formats import Format, Purpose, format_of
from clevrin.core.media.loops import LONGEST_S, write_loop
from clevrin.core.media.picture import Picture
from clevrin.core.media.writing import SOUND_RATE
from clevrin.core.outputs import WritingError, check_new_folder, check_output, name_held, put, put_folder, writing_error
from clevrin.core.pace import placed_shots, reel_frames
from clevrin.core.progress import Progress, check, step, tell
from clevrin.core.render.export.segment_maker import MadeHere, Maker, SegmentTask
from clevrin.core.render.export.segments import Segments, name_of, shared_by_work, stretches, takes_in
from clevrin.core.render.picture import carried_out
from clevrin.core.render.plan import Plan
from clevrin.core.render.planning.planner import plan_frame
from clevrin.core.render.resolving.hold_request import HoldRequest
from clevrin.core.render.resolving.reel_colour import reel_clear, reel_colour, reel_deep
from clevrin.core.render.resolving.resolving import ResolvedShot, complete, resolve_frame, unheld
from clevrin.core.render.sources import Sources
from clevrin.core.sound.loudness import HIGHEST_PEAK_DB, Loudness, loudness_of
from clevrin.core.sound.mix import ReelSound, Sound
from clevrin.core.sound.mix import has_sound as reel_has_sound

_NEAR_LU = 0.1
LOOP_RATE = 25
"""Loops show no more pictures a second."""


@dataclass(frozen=True, kw_only=True)
class ExportRequest:
    """What to render where; `size` None: the reel's own.

    `kind`: a format by its id (None: as the name says), `purpose`: how good (None: as usual), `given`: options of the
    encoder instead. `span`: the frames of the reel from the first up to the end, None: all. `resume`: what was rendered
    to this place before is used as far as it is the same. `lufs`: how loud the sound is to be, None: as it is mixed.
    """

    project: Project
    path: Path
    size: tuple[int, int] | None = None
    held: bool = True
    kind: str | None = None
    purpose: Purpose | None = None
    given: tuple[tuple[str, str], ...] = ()
    span: tuple[int, int] | None = None
    resume: bool = False
    lufs: float | None = None


@dataclass(frozen=True, kw_only=True, eq=False)
class _Export:
    """A render on its way: what is asked for, and all that it is made from."""

    request: ExportRequest
    kind: Format
    first: int
    end: int
    size: tuple[int, int]
    sources: Sources
    progress: Progress
    troubles: set[str]
    maker: Maker

    @property
    def project(self) -> Project:
        return self.request.project

    @cached_property
    def shots(self) -> dict[str, ResolvedShot]:
        """The shots of the reel by id, with all measured that their holds need: what is asked for is rendered."""
        store = self.sources.measured
        wanted = [HoldRequest.of(self.project, each.shot) for each in placed_shots(self.project)]
        held = self.request.held
        tell(self.progress, "looking up what is held")
        return {each.shot.id: complete(each, store, self.progress) if held else unheld(each, store) for each in wanted}

    def plan(self, frame: int) -> Plan:
        return plan_frame(resolve_frame(self.project, frame, lambda shot: self.shots[shot.id]), self.size)

    def picture(self, plan: Plan) -> Picture:
        return carried_out(plan, self.project.take, self.sources.films, "final")

    @contextmanager
    def sound(self) -> Iterator[Callable[[int, int], Iterator[Sound]]]:
        """Gives the sound from one frame of the reel up to another, a second at a time, as loud as it is to be."""
        with closing(ReelSound(self.project, self.troubles, lambda shot: self.shots[shot.id].course)) as sound:

            def blocks(first: int, end: int, gain: float) -> Iterator[Sound]:
                for block in sound.blocks(self.sample(first), self.sample(end)):
                    yield block if gain == 1 else block * np.float32(gain)

            gain = 1.0
            if self.request.lufs is not None:
                tell(self.progress, "listening how loud it is")
                gain = self._gain(loudness_of(blocks(self.first, self.end, 1.0)), self.request.lufs)
            yield lambda first, end: blocks(first, end, gain)

    def _gain(self, found: Loudness, wanted: float) -> float:
        gain = found.gain_to(wanted)
        if found.lufs is not None:
            reached = found.lufs + 20 * math.log10(gain)
            if reached < wanted - _NEAR_LU:
                self.troubles.add(
                    f"The sound is at {reached:.1f} LUFS, not {wanted:g}: louder, its peaks would be over "
                    f"{HIGHEST_PEAK_DB:g} dB."
                )
        return gain

    def sample(self, frame: int) -> int:
        """The sample of the reel with which a frame begins."""
        return round(frame * SOUND_RATE / self.project.reel.rate)


def export_reel(
    request: ExportRequest,
    sources: Sources,
    progress: Progress,
    troubles: set[str] | None = None,
    maker: Maker | None = None,
) -> Path:
    """Writes the reel, with its sound if a take has any and the format carries it; returns the path.

    What could not be had as it should, as sound that is damaged, is added to `troubles`, a sentence each. `maker`: who
    makes the segments of films and pictures; None: this thread.

    Raises `ClevrinError` for what a format cannot carry, `MediaError` for an empty reel, a place that is one of the
    takes, a take that cannot be read, and a file that cannot be written; `CancelledError` when stopped: then the
    segments that are finished stay beside it, for a render that resumes. Pictures are made on this thread while the
    encoder works on another.
    """
    project, path = request.project, request.path
    kind = format_of(path, request.kind)
    if kind.in_folder:
        check_new_folder(path)
    else:
        check_output(path, project.media)
    total = reel_frames(project)
    if total == 0:
        raise MediaError("The reel is empty: put a span on it first.")
    first, end = (0, total) if request.span is None else request.span
    if first >= end:
        raise ClevrinError(f"There is no frame from {first} up to {end}: a part ends behind its first frame.")
    if first < 0 or end > total:
        raise ClevrinError(f"The reel has the frames 0 to {total - 1}: {first} to {end - 1} are not all of it.")
    size = request.size or project.reel.size
    export = _Export(
        request=request,
        kind=kind,
        first=first,
        end=end,
        size=size,
        sources=sources,
        progress=progress,
        troubles=set() if troubles is None else troubles,
        maker=maker or MadeHere(sources.films),
    )
    _check_carried(export)
    if kind.kind == "sound":
        _export_sound(export)
    elif kind.kind == "loop":
        _export_loop(export)
    else:
        _export_pictures(export)
    return path


def _check_carried(export: _Export) -> None:
    """Says before anything is made what the format cannot carry. Raises `ClevrinError`."""
    kind, (width, height) = export.kind, export.size
    title = kind.title
    kind.checked(dict(export.request.given))
    if kind.kind == "sound" and not reel_has_sound(export.project):
        raise ClevrinError(f"The reel has no sound: {title} would be empty.")
    if kind.kind == "loop" and (export.end - export.first) / float(export.project.reel.rate) > LONGEST_S:
        raise ClevrinError(f"{title} is for {LONGEST_S:.0f} s at most: choose a part of the reel.")
    if kind.kind not in ("film", "pictures"):
        return
    if max(width, height) > kind.most_side:
        raise ClevrinError(f"{title} holds pictures of {kind.most_side} pixels a side at most, not {width}x{height}.")
    if kind.kind == "film" and (width % 2 or height % 2):
        raise MediaError(f"A film of {width}x{height} cannot be written: width and height must be even.")
    if kind.id == "tiff" and reel_colour(export.project).hdr:
        raise ClevrinError("TIFF pictures cannot say that their light is of a high range: take PNG or a film.")


def _export_sound(export: _Export) -> None:
    with export.sound() as sound_of:
        total = export.sample(export.end) - export.sample(export.first)

        def blocks() -> Iterator[Sound]:
            gone = 0
            for block in sound_of(export.first, export.end):
                yield block
                gone += len(block)
                step(export.progress, gone, total)

        write_sound(export.request.path, export.kind, blocks(), export.project.media)


def _export_loop(export: _Export) -> None:
    project = export.project
    every = math.ceil(project.reel.rate / LOOP_RATE)
    frames = range(export.first, export.end, every)

    def pictures() -> Iterator[Picture]:
        for number, frame in enumerate(frames):
            yield export.picture(export.plan(frame))
            step(export.progress, number + 1, len(frames))

    quality = int({**export.kind.purposes["look"], **dict(export.request.given)}.get("quality", 70))
    rate = float(project.reel.rate / every)
    write_loop(export.request.path, pictures(), len(frames), rate, quality=quality, never=project.media)


def _export_pictures(export: _Export) -> None:
    """A film, or a folder of pictures: in segments that are bound together."""
    request, project, kind, path = export.request, export.project, export.kind, export.request.path
    colour = reel_colour(project)
    coding = kind.coding(
        request.purpose, deep=reel_deep(project) or colour.hdr, clear=reel_clear(project), given=dict(request.given)
    )
    rate, total = project.reel.rate, export.end - export.first
    # What was finished is remembered once the film is in its place: so, the segments are the outer ones. Who else
    # writes to this name is told before any of its parts are touched.
    with (
        name_held(path),
        Segments(path, export.sources.measured.shelf, rate, resume=request.resume) as parts,
        put_folder(path, held=True) if kind.in_folder else put(path, project.media, held=True) as part,
    ):
        export.maker.prepare(project, export.progress)
        done = _Done(export.progress, total)
        try:
            for stretch, plans in _planned(export):
                task = SegmentTask(
                    plans=plans,
                    takes=takes_in(plans, project),
                    coding=coding,
                    rate=rate,
                    size=export.size,
                    colour=colour,
                )
                place = parts.place(name_of(task), stretch)
                if place is None:
                    done(stretch.frames)
                else:
                    export.maker.make(task, place, done)
            export.maker.finish()
            _bind(export, part, parts)
        except WritingError as error:  # of a segment, whose name nobody knows
            raise writing_error(path, error.reason) from error
        except OSError as error:
            raise writing_error(path, error) from error


def _planned(export: _Export) -> Iterator[tuple[Span, tuple[Plan, ...]]]:
    """What becomes a segment each, and how its pictures are made."""
    tell(export.progress, "planning")
    for stretch in stretches(export.project, export.first, export.end):
        plans = tuple(export.plan(frame) for frame in range(stretch.first, stretch.end))
        for part in shared_by_work(stretch, plans, export.size):
            yield part, plans[part.first - stretch.first : part.end - stretch.first]


class _Done:
    """Counts the frames that are done."""

    def __init__(self, progress: Progress, total: int) -> None:
        self._progress, self._total, self._count = progress, total, 0

    def __call__(self, frames: int) -> None:
        self._count += frames
        step(self._progress, self._count, self._total)


def _bind(export: _Export, part: Path, parts: Segments) -> None:
    kind = export.kind

    def done(_: int) -> None:
        check(export.progress)

    tell(export.progress, "binding its pieces")

    if kind.in_folder:
        bind_pictures(part, parts.bound, kind.suffix, done)
        return
    if not (kind.sound and reel_has_sound(export.project)):
        bind_film(part, parts.bound, kind, export.project.reel.rate, None, done)
        return
    with export.sound() as sound_of:
        at = export.first
        rate = export.project.reel.rate
        bind_film(part, parts.bound, kind, rate, lambda first, end: sound_of(at + first, at + end), done)
