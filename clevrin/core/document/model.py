"""The document: frozen values with ids, without anything that was measured.

A take is a footage file with its spans; a shot is a span of a take on the reel with its settings; a join says
how a shot passes into the next one and is kept with the shot that it leaves.
"""

import re
from fractions import Fraction
from itertools import pairwise
from pathlib import Path
from typing import Any, ClassVar, Literal, Self, TypeVar, get_args

from pydantic import Field

from clevrin.core.document.areas import Area, made_of
from clevrin.core.document.colour import BT709, Colour
from clevrin.core.document.gating import Gate, Output
from clevrin.core.document.holding import Hold
from clevrin.core.document.joining import Join
from clevrin.core.document.loans import Loan, Motion, Over
from clevrin.core.document.music import Music
from clevrin.core.document.pacing import Pace
from clevrin.core.document.pinned import Drawing, Film, Pinned
from clevrin.core.document.recipes import Recipe
from clevrin.core.document.sounding import Mix, ShotSound
from clevrin.core.document.span import Span
from clevrin.core.document.tracks import LeftOut, Pointed, Track
from clevrin.core.document.value import MOST_FRAMES, Id, Name, Rate, Sparing, Text, Value, new_id

SCHEMA_VERSION: Literal[2] = 2

Turns = Literal[0, 1, 2, 3]
"""Quarter turns of the picture, anticlockwise as seen."""
QUARTERS: tuple[Turns, ...] = (0, 1, 2, 3)
Fit = Literal["fill", "bars", "blurred"]
"""How a take of another shape stands on the reel: cut to it, or whole, with bars or its own blurred picture around."""
Mirror = Literal["horizontal", "vertical", "both"] | None
Worth = Literal["keep", "maybe", "drop"] | None
Conform = Literal["as shot", "every frame"]
MarkerKind = Literal["marker", "beat"]
Light = Literal["as its takes", "standard"]

_DEEP_FORMAT = re.compile(r"(?:p|gray)(?:9|1[0246])(?:le|be)?$|^p0|48|64")
"""Names of pixel formats with more than 8 bits: projects of earlier versions say nothing else of the depth."""
_STANDARD_RATES = tuple(
    Fraction(rate)
    for rate in ("24000/1001", "24", "25", "30000/1001", "30", "48", "50", "60000/1001", "60", "120000/1001", "120")
)
_SAME_RATE = Fraction(1, 10_000)


def mirror_signs(mirror: Mirror) -> tuple[int, int]:
    """What mirroring makes of a direction: -1 where its x, its y, is turned about, else 1."""
    return (-1 if mirror in ("horizontal", "both") else 1), (-1 if mirror in ("vertical", "both") else 1)


def turned(direction: Any, turns: Turns) -> Any:
    """A direction (x right, y up; numbers, or arrays of them) in a picture that is turned so."""
    x, y = direction
    return ((x, y), (-y, x), (-x, -y), (y, -x))[turns]


class MediaFacts(Value):
    """What a footage file says of itself; width and height as shown: of square pixels, after the rotation (degrees).

    `variable`: its frames do not stand at even times; `meant` is the rate at which they were to. `aspect`: how wide its
    pixels are in the file. `tagged`: it says what its colours are. `channels` of its sound, 0 where that is not known.
    """

    width: int = Field(gt=0, le=16384)
    height: int = Field(gt=0, le=16384)
    rate: Rate
    variable: bool
    frames: int = Field(gt=0, le=MOST_FRAMES)
    seconds: float = Field(gt=0)
    rotation: int = Field(ge=-360, le=360)
    codec: Name
    pixel_format: Name
    sound: bool
    depth: int = Field(default=8, ge=1, le=32)
    colour: Colour = BT709
    tagged: bool = True
    interlaced: bool = False
    aspect: Rate = Fraction(1)
    meant: Rate | None = None
    channels: int = Field(default=0, ge=0, le=1000)

    @property
    def deep(self) -> bool:
        """Whether its pictures have more than 8 bits a sample."""
        return self.depth > 8 or _DEEP_FORMAT.search(self.pixel_format) is not None

    @property
    def reel_rate(self) -> Fraction:
        """The rate that a reel gets from this film: its own, or the nearest one that is in use.

        The latter where its own varies, is over 120, or is as good as one of those.
        """
        meant = self.meant or self.rate
        nearest = min(_STANDARD_RATES, key=lambda each: abs(float(each / meant) - 1))
        usable = not self.variable and 1 <= self.rate <= _STANDARD_RATES[-1]
        return self.rate if usable and abs(nearest / self.rate - 1) > _SAME_RATE else nearest


class NamedSpan(Value):
    """One of the spans of a take that somebody chose: an attempt, with a name."""

    id: Id = Field(default_factory=new_id)
    name: Name
    span: Span


class Take(Sparing):
    """A footage file as brought in, the spans of it that somebody chose, and what was thought of it.

    `conform` says how a take of another rate than the reel's plays: at the speed at which it was shot, or every
    frame of it at the reel's rate. `left_out` are areas that do not count in measuring its motion, `pointed` is on what
    its trace is to follow where not what covers the most of the picture, `tracks` what is followed in it beside;
    `areas` what was drawn or chosen in its picture.
    """

    unwritten: ClassVar[tuple[str, ...]] = ("areas",)

    id: Id = Field(default_factory=new_id)
    name: Name
    path: Text = Field(max_length=10_000)
    fingerprint: Name
    facts: MediaFacts
    spans: tuple[NamedSpan, ...] = Field(default=(), max_length=10_000, fail_fast=True)
    worth: Worth = None
    note: Text = Field(default="", max_length=100_000)
    conform: Conform = "as shot"
    left_out: tuple[LeftOut, ...] = Field(default=(), max_length=100, fail_fast=True)
    pointed: Pointed | None = None
    tracks: tuple[Track, ...] = Field(default=(), max_length=1000, fail_fast=True)
    areas: tuple[Area, ...] = Field(default=(), max_length=1000, fail_fast=True)

    def checked_together(self) -> Self:
        if any(each.span.end > self.facts.frames for each in self.spans):
            raise ValueError("a span reaches beyond the take")
        if len({each.id for each in self.spans}) != len(self.spans):
            raise ValueError("two spans have the same id")
        marks: list[LeftOut | Track | Area] = [*self.left_out, *self.tracks, *self.areas]
        if len({each.id for each in marks}) != len(marks):
            raise ValueError("two tracks or areas have the same id")
        if max((each.last_frame for each in marks), default=0) >= self.facts.frames:
            raise ValueError("a track or an area was placed beyond the take")
        if self.pointed is not None and self.pointed.frame >= self.facts.frames:
            raise ValueError("what is to be followed was pointed at beyond the take")
        return self

    @property
    def measured_as(self) -> tuple[object, ...]:
        """What the measurement of its motion depends on: takes alike in this have one trace."""
        areas = tuple((each.area, each.frame if each.carried else None) for each in self.left_out)
        known = self.fingerprint, areas, self.pointed
        return (*known, self._masked_as) if self.areas_left_out else known

    @property
    def areas_left_out(self) -> tuple[Area, ...]:
        """The areas whose content does not count when its motion is measured."""
        return tuple(each for each in self.areas if each.left_out)

    @property
    def all_counted(self) -> "Take":
        """The take with no area left out: by how it moves so, it is known where these areas are."""
        if not self.areas_left_out:
            return self
        return self.changed(areas=tuple(each.changed(left_out=False) for each in self.areas))

    @property
    def _masked_as(self) -> tuple[object, ...]:
        """What decides where the areas are that do not count."""
        left_out = self.areas_left_out
        all_of_it = {each.id: each for area in left_out for each in made_of(area, self.areas)}
        named = frozenset[str]().union(*(each.track_ids for each in all_of_it.values()))
        return (
            tuple(each.id for each in left_out),
            tuple((id, each.covers_as) for id, each in all_of_it.items()),
            tuple(each for each in self.tracks if each.id in named),
        )

    def track(self, track_id: str) -> Track:
        """The track with this id; raises `KeyError` when there is none."""
        return _by_id(self.tracks, track_id)

    def area(self, area_id: str) -> Area:
        """The area with this id; raises `KeyError` when there is none."""
        return _by_id(self.areas, area_id)

    @property
    def whole(self) -> Span:
        """All of the take."""
        return Span(first=0, end=self.facts.frames)

    @property
    def span(self) -> Span:
        """The first span that was chosen; all of the take where none was."""
        return self.spans[0].span if self.spans else self.whole


class Shot(Sparing):
    """A span of a take on the reel with its own settings; `loan` is motion put on it, whether it is held or not.

    The picture is turned by `turns` first, and then mirrored. `fit` None: as the reel says. `gates`: how the gate of
    each output goes over it; one that is not named rests. `pace`: how fast it plays. `pinned`: what
    stands in its scene, the first one behind the others. `sound`: how loud its own sound is.
    """

    unwritten: ClassVar[tuple[str, ...]] = ("pace", "pinned", "sound")

    id: Id = Field(default_factory=new_id)
    take_id: Id
    span: Span
    mirror: Mirror = None
    turns: Turns = 0
    fit: Fit | None = None
    reverse: bool = False
    hold: Hold = Hold()
    loan: Loan | None = None
    gates: tuple[Gate, ...] = Field(default=(), max_length=100, fail_fast=True)
    pace: Pace = Pace()
    sound: ShotSound = ShotSound()
    leave: Join = Join()
    pinned: tuple[Pinned, ...] = Field(default=(), max_length=100, fail_fast=True)

    def checked_together(self) -> Self:
        if len({each.id for each in self.pinned}) != len(self.pinned):
            raise ValueError("two elements of a shot have the same id")
        if len({gate.output for gate in self.gates}) != len(self.gates):
            raise ValueError("a shot has two gates for one output")
        return self

    def played(self, *, reverse: bool) -> "Shot":
        """The shot played forward or backward, with the same speeds at the same frames."""
        if reverse == self.reverse:
            return self
        return self.changed(reverse=reverse, pace=self.pace.backward())

    def gate(self, output: str | None = None) -> Gate:
        """The gate of an output (None: the reel's own)."""
        return next((each for each in self.gates if each.output == output), Gate(output=output))

    def with_gate(self, gate: Gate) -> "Shot":
        """The shot with another gate for its output; one that rests is not kept."""
        others = tuple(each for each in self.gates if each.output != gate.output)
        return self.changed(gates=others if gate.rests else (*others, gate))

    def element(self, pinned_id: str) -> Pinned:
        """What is pinned to it under this id; raises `KeyError` when there is none."""
        return _by_id(self.pinned, pinned_id)

    @property
    def first_shown(self) -> int:
        """The frame of the take with which the shot begins on the reel."""
        return self.span.end - 1 if self.reverse else self.span.first

    @property
    def last_shown(self) -> int:
        """The frame of the take with which the shot ends on the reel."""
        return self.span.first if self.reverse else self.span.end - 1


class Marker(Value):
    """An instant of the reel that somebody marked; it stays at its frame when shots move."""

    id: Id = Field(default_factory=new_id)
    frame: int = Field(ge=0, le=MOST_FRAMES)
    kind: MarkerKind = "marker"
    name: Name = ""


class Reel(Sparing):
    """The row of shots that is rendered, its own rate and size, and its markers in the order of time.

    `light` says whether the high range of its takes is kept, where all of them have the same. `fit` and `bars`
    (#rrggbb): how takes of another shape stand on it, and the colour of bars around them. `over`: motion that is laid
    over stretches of it, in order, none over another.
    """

    unwritten: ClassVar[tuple[str, ...]] = ("over",)

    rate: Rate = Fraction(30)
    width: int = Field(default=1280, gt=0, le=8192, multiple_of=2)
    height: int = Field(default=720, gt=0, le=8192, multiple_of=2)
    shots: tuple[Shot, ...] = Field(default=(), max_length=100_000, fail_fast=True)
    markers: tuple[Marker, ...] = Field(default=(), max_length=100_000, fail_fast=True)
    light: Light = "as its takes"
    fit: Fit = "fill"
    bars: str = Field(default="#000000", pattern="^#[0-9a-fA-F]{6}$")
    over: tuple[Over, ...] = Field(default=(), max_length=100, fail_fast=True)

    def checked_together(self) -> Self:
        if any(before.end > after.first for before, after in pairwise(self.over)):
            raise ValueError("motions over the reel are in order, none over another")
        return self

    @property
    def size(self) -> tuple[int, int]:
        """Columns and rows of its pictures."""
        return self.width, self.height

    @property
    def aspect(self) -> float:
        """How high its pictures are by their width."""
        return self.height / self.width

    def fit_of(self, shot: Shot) -> Fit:
        """How a shot of it stands on it: as it says itself, or as the reel does."""
        return shot.fit or self.fit


Meant = Literal["enlarged", "invented", "dropped", "sound"]
"""What comes of choices: a crop, a slow passage, a quick one, a lane that is not heard."""


class Project(Sparing):
    """All that the user made; `motions` are those that were performed or brought in, for lending.

    `outputs` are the shapes in which the reel is rendered beside its own; `music` lies under it; `mix` says how
    loud its lanes of sound are. `meant`: what may look like a fault, and is as its maker wants it. `recipes`: those
    that were put on its shots.
    """

    unwritten: ClassVar[tuple[str, ...]] = ("mix", "meant", "recipes")

    schema_version: Literal[2] = SCHEMA_VERSION
    id: Id = Field(default_factory=new_id)
    name: Name = "Untitled"
    takes: tuple[Take, ...] = Field(default=(), max_length=100_000, fail_fast=True)
    motions: tuple[Motion, ...] = Field(default=(), max_length=1000, fail_fast=True)
    outputs: tuple[Output, ...] = Field(default=(), max_length=100, fail_fast=True)
    music: Music | None = None
    mix: Mix = Mix()
    meant: tuple[Meant, ...] = Field(default=(), max_length=len(get_args(Meant)))
    recipes: tuple[Recipe, ...] = Field(default=(), max_length=1000, fail_fast=True)
    reel: Reel = Reel()

    def checked_together(self) -> Self:
        takes = {take.id: take for take in self.takes}
        if len(takes) != len(self.takes):
            raise ValueError("two takes have the same id")
        if len({motion.id for motion in self.motions}) != len(self.motions):
            raise ValueError("two motions have the same id")
        if len({output.id for output in self.outputs}) != len(self.outputs):
            raise ValueError("two outputs have the same id")
        if len({shot.id for shot in self.reel.shots}) != len(self.reel.shots):
            raise ValueError("two shots have the same id")
        if len({marker.id for marker in self.reel.markers}) != len(self.reel.markers):
            raise ValueError("two markers have the same id")
        for shot in self.reel.shots:
            if shot.take_id not in takes:
                raise ValueError(f"shot {shot.id} is of a take that is not there")
            if shot.span.end > takes[shot.take_id].facts.frames:
                raise ValueError(f"shot {shot.id} reaches beyond its take")
            if any(isinstance(each.of, Film) and each.of.take_id not in takes for each in shot.pinned):
                raise ValueError(f"a film is pinned to shot {shot.id} that is not there")
        return self

    @property
    def media(self) -> tuple[Path, ...]:
        """The files that it is made of: nothing may ever be written over them."""
        music = () if self.music is None else (Path(self.music.path),)
        areas = (Path(each.path) for take in self.takes for area in take.areas for each in area.filmed)
        return (*(Path(take.path) for take in self.takes), *music, *areas, *self.pinned_files)

    @property
    def pinned_files(self) -> tuple[Path, ...]:
        """The drawings and fonts of what is pinned to shots."""
        named = (each.of for shot in self.reel.shots for each in shot.pinned)
        files = (each.path if isinstance(each, Drawing) else each.font for each in named if not isinstance(each, Film))
        return tuple(Path(each) for each in files if each)

    @property
    def shown_takes(self) -> tuple[Take, ...]:
        """The takes of which something is seen on the reel."""
        named = {shot.take_id for shot in self.reel.shots}
        named |= {each.of.take_id for shot in self.reel.shots for each in shot.pinned if isinstance(each.of, Film)}
        return tuple(take for take in self.takes if take.id in named)

    def take(self, take_id: str) -> Take:
        """The take with this id; raises `KeyError` when there is none."""
        return _by_id(self.takes, take_id)

    def motion(self, motion_id: str) -> Motion:
        """The motion with this id; raises `KeyError` when there is none."""
        return _by_id(self.motions, motion_id)

    def output(self, output_id: str | None) -> Output | None:
        """The output with this id; None for the reel's own; raises `KeyError` when there is none."""
        return None if output_id is None else _by_id(self.outputs, output_id)

    def size_of(self, output_id: str | None) -> tuple[int, int]:
        """Width and height of an output (None: the reel's own)."""
        output = self.output(output_id)
        return self.reel.size if output is None else (output.width, output.height)

    def through(self, output_id: str | None) -> "Project":
        """The project as an output shows it: its reel has that size, and the gates of its shots are that output's.

        Nothing else of it differs; it is for looking at and rendering, not for saving. Raises `KeyError`.
        """
        if output_id is None:
            return self
        width, height = self.size_of(output_id)
        shots = tuple(
            shot
            if not shot.gates
            else shot.model_copy(
                update={"gates": tuple(g.changed(output=None) for g in shot.gates if g.output == output_id)}
            )
            for shot in self.reel.shots
        )
        return self.changed(reel=self.reel.model_copy(update={"width": width, "height": height, "shots": shots}))

    def shot(self, shot_id: str) -> Shot:
        """The shot with this id; raises `KeyError` when there is none."""
        return _by_id(self.reel.shots, shot_id)

    def shot_index(self, shot_id: str) -> int:
        """Where on the reel the shot stands; raises `KeyError` when it does not."""
        for index, shot in enumerate(self.reel.shots):
            if shot.id == shot_id:
                return index
        raise KeyError(shot_id)


_Named = TypeVar("_Named", Take, Shot, Track, Area, Motion, Output, Pinned)


def _by_id(values: tuple[_Named, ...], wanted: str) -> _Named:
    for value in values:
        if value.id == wanted:
            return value
    raise KeyError(wanted)
