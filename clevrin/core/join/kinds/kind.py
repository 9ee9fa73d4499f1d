"""What a kind of join is: its settings as a table, and pure functions of them that say what it does to either side.

Places are in picture widths from the middle of the output, x to the right and y down; times are in frames of the reel
from the cut, below 0 before it. A move takes places of the output to those of the picture as it would lie without it,
so that hold, gate and join are one map.
"""

import re
from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from math import cos, hypot, pi, radians, sin
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from clevrin.core.document.joining import Join, Setting
from clevrin.core.errors import ClevrinError
from clevrin.core.motion.geometry.models import translation

Matrix = NDArray[np.float64]
Values = Mapping[str, Setting]
AUTO = "auto"
MOVES_WIDTHS_PER_S = 0.1
"""From this speed on a camera is seen to move."""
_TURNS_DEG_PER_S, _GROWS_PER_S = 15.0, 0.12
"""From this on a picture is seen to turn, and (in logarithms) to grow."""
_DEFAULT_SHUTTER_DEG = 180.0
CORNER_WIDTHS = 0.57
"""How far the corners of a wide picture are from its middle."""


@dataclass(frozen=True, kw_only=True)
class JoinSetting:
    """One setting of a kind. `options`: it is one of these words; else a number of `low` to `high` in a `unit`.

    With `auto` it may be "auto" as well: it follows from the two sides. A `colour` is written as #rrggbb. One that
    `names` a surface or an area is the id of a track, or of that; "" for none, which is as well where it is `optional`.
    """

    id: str
    title: str
    help: str
    default: Setting
    unit: str = ""
    low: float = 0.0
    high: float = 1.0
    step: float = 0.01
    options: tuple[str, ...] = ()
    auto: bool = False
    colour: bool = False
    names: Literal["", "surface", "area"] = ""
    optional: bool = False

    def checked(self, value: Setting) -> Setting:
        """A value that can be. Raises `ClevrinError` with a sentence."""
        if self.options:
            if value not in self.options:
                raise ClevrinError(f"{self.title} is one of {', '.join(self.options)}.")
            return value
        if self.auto and value == AUTO:
            return value
        if self.names:
            if not isinstance(value, str):
                raise ClevrinError(f"{self.title} is the name of a {self.names}.")
            return value
        if self.colour:
            if not isinstance(value, str) or re.fullmatch("#[0-9a-fA-F]{6}", value) is None:
                raise ClevrinError(f"{self.title} is written as #rrggbb.")
            return value
        if isinstance(value, bool) or not isinstance(value, int | float):
            raise ClevrinError(f"{self.title} is a number.")
        if not self.low <= value <= self.high:
            raise ClevrinError(f"{self.title} goes from {self.low:g} to {self.high:g} {self.unit}".rstrip() + ".")
        return float(value)


@dataclass(frozen=True, kw_only=True)
class Sides:
    """What a kind may know of the two sides of a cut.

    `before`, `after`: how many frames of the reel either shot has for it. `aspect`: the output's height by its width;
    `rate`: the reel's.
    `going_deg` finds the direction in which the camera moves at the cut, anticlockwise from the right; None where it
    hardly does. It is asked for by what goes there alone: it may take both shots' measurements to know.
    """

    before: int
    after: int
    aspect: float
    rate: float = 30.0
    going_deg: Callable[[], float | None] = lambda: None


@dataclass(frozen=True, kw_only=True)
class Edge:
    """A straight edge that passes over the output: what lies beyond it, along `normal` (x, y), is there.

    It stands at `at` along the normal, and passes from nothing to all over `soft` widths.
    """

    normal: tuple[float, float]
    at: float
    soft: float


@dataclass(frozen=True, kw_only=True)
class Wash:
    """Light over the whole picture: `gain` times as much of it, then `share` of a colour (#rrggbb), then `bloom`.

    In linear light; `bloom` is how much of what is bright spreads, 0 to 1.
    """

    colour: str
    share: float
    gain: float = 1.0
    bloom: float = 0.0


@dataclass(frozen=True, kw_only=True)
class Broken:
    """A picture that breaks: bands and blocks that are shifted, and colour planes that part, from a seed.

    `strength` 0 to 1; `step`: which of the pictures that a seed gives.
    """

    seed: int
    step: int
    strength: float


@dataclass(frozen=True, kw_only=True)
class SeenSide:
    """How one side of a cut looks and moves there, as the reel plays it.

    `velocity`: the camera's, in widths a second (x right, y up); `turn_deg`: by how much the picture turns in a second,
    anticlockwise; `growth`: the logarithm of how many times it grows in a second. `lightness` 0 to 100, `even`: there
    is nothing in it. `known`: whether its motion is. `surfaces`: those that are followed in it, by the ids of their
    tracks; `areas`: those that were made in it.
    """

    velocity: tuple[float, float] = (0.0, 0.0)
    turn_deg: float = 0.0
    growth: float = 0.0
    lightness: float = 50.0
    even: bool = False
    known: bool = True
    surfaces: tuple[str, ...] = ()
    areas: tuple[str, ...] = ()

    @property
    def widths_per_s(self) -> float:
        return hypot(*self.velocity)

    @property
    def rush(self) -> tuple[float, float, float, float]:
        """How it moves sideways and up, turns and grows: all in widths a second, of the last two at the corners."""
        return (*self.velocity, radians(self.turn_deg) * CORNER_WIDTHS, self.growth * CORNER_WIDTHS)

    @property
    def turns(self) -> int:
        """The sense in which it is seen to turn: 1 anticlockwise, -1 clockwise; 0 where something else is seen."""
        return _sense(radians(self.turn_deg), max(radians(_TURNS_DEG_PER_S), self.widths_per_s))

    @property
    def grows(self) -> int:
        """1 where it is seen to come nearer, -1 where it goes away, 0 where something else is seen."""
        return _sense(self.growth, max(_GROWS_PER_S, self.widths_per_s))

    @property
    def still(self) -> bool:
        """Whether it is not seen to move at all."""
        return self.widths_per_s < MOVES_WIDTHS_PER_S and not self.turns and not self.grows


def _sense(value: float, least: float) -> int:
    return 0 if abs(value) < least else 1 if value > 0 else -1


@dataclass(frozen=True, kw_only=True)
class Seen:
    """Both sides of a cut. `colour_delta_e`: how far they are apart in colour; `on_beat`: whether it falls on one."""

    before: SeenSide
    after: SeenSide
    colour_delta_e: float = 0.0
    on_beat: bool = False

    @property
    def apart(self) -> float:
        """By how much the motions of both sides differ, as a share of the faster one; 0 where none is seen.

        That is where both stand still, and where both pictures are even.
        """
        before, after = self.before.rush, self.after.rush
        faster = max(hypot(*before), hypot(*after))
        if faster <= MOVES_WIDTHS_PER_S or (self.before.even and self.after.even):
            return 0.0
        return min(1.0, hypot(*(a - b for a, b in zip(before, after, strict=True))) / faster)


@dataclass(frozen=True, kw_only=True)
class Fit:
    """How well a kind fits a cut, 0 to 100, why in a sentence, and the settings with which it does."""

    score: float
    why: str
    settings: tuple[tuple[str, Setting], ...] = ()


WIDE_BEYOND, SHORT_BLUR = 0.03, 0.02
"""Widths of the picture beyond its edge, and of blur: more of the one with less of the other is noticed."""

After = Wash | Broken
Move = Callable[[float], Matrix]
"""The move at a time."""


@dataclass(frozen=True, kw_only=True)
class Door:
    """A surface of one side in which the other one is seen, and how far the gate has gone to it: 0 not, 1 it fills it.

    `surface`: the id of its track; `gone` by the time from the cut; `inside`: this side is the one that is seen in it.
    The picture rolls by so many whole `turns` on the way.
    """

    surface: str
    gone: Callable[[float], float]
    inside: bool
    turns: float = 0.0


@dataclass(frozen=True, kw_only=True)
class AreaOf:
    """An area of a side's take within which it is seen, or beyond which, by its id."""

    area: str
    beyond: bool = False


@dataclass(frozen=True, kw_only=True)
class Part:
    """What a side of a join shows at a time: its share of the picture, how it moves, and the edge behind which it is.

    A picture that moves goes on beyond its edge mirrored. `move` None: it lies as it does anyway, or as a `door` has
    it. With an `area` it is seen there alone; the `rest`: where the other side is not. `front`: what of it stands
    before the other side.
    """

    share: float
    move: Move | None = None
    edge: Edge | None = None
    door: Door | None = None
    area: AreaOf | None = None
    rest: bool = False
    front: AreaOf | None = None


@dataclass(frozen=True, kw_only=True)
class Course:
    """How far a made move has come: slow, fastest at the cut, and slow again; over `before` and `after` frames.

    `ease`: 1 soft, 0 straight up and down in speed.
    """

    before: float
    after: float
    ease: float = 1.0

    def gone(self, at: float) -> float:
        """0 before it, 1 behind it."""
        whole = (self.before + self.after) / 2
        if at <= -self.before or at >= self.after:
            return 0.0 if at < 0 else 1.0
        if at < 0:
            return self._risen(at + self.before, self.before) / whole
        return 1 - self._risen(self.after - at, self.after) / whole

    def strength(self, at: float) -> float:
        """How fast it is against its own peak: 0 at either end, 1 at the cut."""
        side = self.before if at < 0 else self.after
        if side <= 0 or abs(at) >= side:
            return 0.0
        soft, straight = (1 + cos(pi * at / side)) / 2, 1 - abs(at) / side
        return self.ease * soft + (1 - self.ease) * straight

    def speed(self, at: float) -> float:
        """How much of it goes by in a frame; nothing in a join that has no room on either side."""
        strength = self.strength(at)
        return strength * 2 / (self.before + self.after) if strength else 0.0

    def _risen(self, since: float, side: float) -> float:
        """What has gone by so long after the beginning of a side, where the speed at the cut is 1."""
        soft = since / 2 + side / (2 * pi) * sin(pi * (since / side - 1))
        straight = since**2 / (2 * side)
        return self.ease * soft + (1 - self.ease) * straight


@dataclass(frozen=True, kw_only=True)
class Made:
    """A kind with its values, between two sides: what it does is asked for by time.

    `gave_way`: how many frames it lasts less than there is room for, as its kind says.
    """

    kind: "Kind"
    values: Values
    sides: Sides
    before: int
    after: int
    gave_way: int = 0

    @property
    def course(self) -> Course:
        return Course(before=self.before, after=self.after, ease=self.number("ease", 1.0))

    @property
    def shutter_deg(self) -> float:
        """The shutter that its own moves are seen through."""
        return self.number("shutter", _DEFAULT_SHUTTER_DEG)

    def number(self, name: str, default: float = 0.0) -> float:
        value = self.values.get(name, default)
        return float(value) if not isinstance(value, str) else default

    def word(self, name: str) -> str:
        return str(self.values[name])

    @property
    def own_direction_deg(self) -> float:
        """Where it goes by itself: where the camera was going."""
        return self.sides.going_deg() or 0.0

    @property
    def direction(self) -> tuple[float, float]:
        """Where the camera goes, by its setting or by itself: x to the right, y down."""
        value = self.values.get("direction", AUTO)
        angle = self.own_direction_deg if value == AUTO else float(value)
        return cos(radians(angle)), -sin(radians(angle))

    def away(self, at: float, leaving: bool) -> float:
        """Where a side is in the whole move: 0 where it lies by itself; 1 when it has left, -1 before it arrives."""
        return self.course.gone(at) - (0.0 if leaving else 1.0)

    def part(self, at: float, *, leaving: bool) -> Part:
        """What a side shows at a time."""
        return self.kind.part(self, at, leaving)

    def effects(self, at: float) -> tuple[After, ...]:
        """What is done to the picture of both."""
        return self.kind.effects(self, at)


def all_of_it(at: float, leaving: bool, move: Move | None = None) -> Part:
    """A side that is the whole picture up to the cut, or from there on."""
    return Part(share=1.0 if leaving == (at < 0) else 0.0, move=move)


def nearness_in_time(time: float, frames: int) -> float:
    """How near a time is to the cut: 0 from `frames` away, 1 in the frame next to it, straight between."""
    return min(max(1 - (abs(time) - 0.5) / frames, 0.0), 1.0)


def softly(share: float) -> float:
    """A share of a way with rest at either end."""
    return share * share * (3 - 2 * share)


def _cut(made: Made, at: float, leaving: bool) -> Part:
    return all_of_it(at, leaving)


def _nothing(made: Made, at: float) -> tuple[After, ...]:
    return ()


def _all_of_it(values: Values, before: int, after: int) -> tuple[int, int]:
    return before, after


def _as_its_peak(values: Values) -> float:
    return float(values.get("peak", 0.5))


def _anywhere(seen: Seen) -> Fit:
    return Fit(score=10, why="Nothing in the shots calls for it.")


@dataclass(frozen=True, kw_only=True)
class Kind:
    """A kind of join. `id` is its name, in files and on screen; `long`: it takes time, as its length says.

    `part` says what a side shows at a time, `effects` what is done to the whole picture. `overlaps`: both sides are
    seen while it lasts, so that either has to go on beyond its cut. `lasts` says how many of the frames before and
    after the cut that there is room for it takes. `cut_after`: how much of it lies before
    the cut. `fits` says how well it fits a cut. `lays`: its sides are laid on each other at the cut, and are judged so.
    """

    id: str
    help: str
    settings: tuple[JoinSetting, ...] = ()
    long: bool = False
    overlaps: bool = False
    lays: bool = False
    part: Callable[[Made, float, bool], Part] = _cut
    effects: Callable[[Made, float], tuple[After, ...]] = _nothing
    lasts: Callable[[Values, int, int], tuple[int, int]] = _all_of_it
    cut_after: Callable[[Values], float] = _as_its_peak
    fits: Callable[[Seen], Fit] = _anywhere

    def values(self, join: Join) -> dict[str, Setting]:
        """All its settings, as a join has them; what cannot be is as usual."""
        given, found = join.given, {}
        for each in self.settings:
            found[each.id] = each.default
            if each.id in given:
                try:
                    found[each.id] = each.checked(given[each.id])
                except ClevrinError:
                    continue
        return found

    def made(self, join: Join, sides: Sides) -> Made:
        """The kind between two sides, as long as they let it be."""
        values = self.values(join)
        length = round(float(values["length"])) if self.long else 0
        before = round(length * self.cut_after(values))
        room = min(before, sides.before), min(length - before, sides.after)
        kept = self.lasts(values, *room)
        return Made(
            kind=self, values=values, sides=sides, before=kept[0], after=kept[1], gave_way=sum(room) - sum(kept)
        )


def shift(x: float, y: float) -> Matrix:
    """The camera goes by (x, y) widths: what was there is seen here."""
    return translation(x, y)


def turn_and_grow(degrees: float, times: float, centre: tuple[float, float] = (0.0, 0.0)) -> Matrix:
    """The picture is turned anticlockwise and enlarged about a centre, which stays where it is."""
    c, s = cos(radians(degrees)) / times, sin(radians(degrees)) / times
    x, y = centre
    # Output to picture: the way back, with y down.
    return np.array([[c, -s, x - c * x + s * y], [s, c, y - s * x - c * y], [0, 0, 1.0]])


LENGTH = JoinSetting(
    id="length",
    title="Length",
    help="How many frames of the reel the join lasts",
    default=10.0,
    unit="frames",
    low=2,
    high=120,
    step=1,
)
PEAK = JoinSetting(
    id="peak", title="Cut after", help="How much of it lies before the cut", default=0.5, low=0.1, high=0.9
)
EASE = JoinSetting(id="ease", title="Ease", help="How softly it begins and ends: 1 soft, 0 straight", default=1.0)
SHUTTER = JoinSetting(
    id="shutter",
    title="Shutter",
    help="The blur of what it moves, as a shutter angle",
    default=_DEFAULT_SHUTTER_DEG,
    unit="°",
    low=0,
    high=720,
    step=5,
)
DIRECTION = JoinSetting(
    id="direction",
    title="Direction",
    default=AUTO,
    unit="°",
    low=-360,
    high=360,
    step=1,
    auto=True,
    help="Where the camera goes, anticlockwise from the right; auto: where it was going",
)
SEED = JoinSetting(
    id="seed",
    title="Seed",
    help="Another seed is another picture; the same one always the same",
    default=1.0,
    low=0,
    high=9999,
    step=1,
)
SOUND_OF_IT = (
    JoinSetting(
        id="sound_length",
        title="Sound crosses in",
        default=0.0,
        unit="frames",
        low=0,
        high=120,
        step=1,
        help="In how many frames one side's sound passes into the other's; 0 cuts it",
    ),
    JoinSetting(
        id="sound_later",
        title="Sound cuts later by",
        default=0.0,
        unit="frames",
        low=-60,
        high=60,
        step=1,
        help="By how many frames the sound passes over after the picture; below 0 before it",
    ),
    JoinSetting(
        id="swish",
        title="Swish",
        default=0.0,
        help="How loud the move itself is heard: noise that rises and falls with its speed; 0 not at all",
    ),
)
"""Settings that every kind has."""
BALANCE_OF_IT = (
    *(
        JoinSetting(
            id=f"balance_{name}",
            title=f"Incoming {name}",
            default=1.0,
            unit="times",
            low=0.5,
            high=2,
            step=0.01,
            help=f"How many times as much {name} light the incoming side has at the cut",
        )
        for name in ("red", "green", "blue")
    ),
    JoinSetting(
        id="balance_length",
        title="Comes back in",
        default=0.0,
        unit="frames",
        low=0,
        high=120,
        step=1,
        help="In how many frames the incoming side comes back to its own colours; 0: it has them",
    ),
)
"""Settings that every kind has, of the incoming side's colours."""


def as_usual(setting: JoinSetting, default: Setting) -> JoinSetting:
    """A setting with another default."""
    return replace(setting, default=default)
