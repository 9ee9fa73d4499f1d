"""What a user does with areas: every change as an edit of the take."""

from collections.abc import Callable
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from clevrin.core.document import (
    Area,
    AreaPart,
    Around,
    Coloured,
    CutOut,
    Drawn,
    Filmed,
    Other,
    Outline,
    Pick,
    Placement,
    Stroke,
    Take,
    Track,
)
from clevrin.core.document.areas import MOST_PLACES, Mode, Seen, Shape
from clevrin.core.document.edits import AddTrack, PutArea, RemoveArea
from clevrin.core.document.value import put_on_frame
from clevrin.core.errors import ClevrinError
from clevrin.core.matte.matte import Lab
from clevrin.core.media.index import index_frames
from clevrin.core.media.probe import fingerprint
from clevrin.core.motion.movers import Mover
from clevrin.desk.bench.context import Context

Places = NDArray[np.float64]

_NAMES: dict[str, str] = {
    "half-plane": "Edge",
    "box": "Box",
    "disc": "Disc",
    "curve": "Curve",
    "coloured": "Colour",
    "cut-out": "Cut-out",
    "filmed": "Film",
}
_MOST_OF_STROKE = 500
_AROUND = 0.15
"""The corners of what moves by itself lie within it: so much of its size is added on each side."""


class AreaEdits:
    """Changes the areas of the take that is looked at, and the one of them that is chosen."""

    def __init__(
        self, context: Context, take_of: Callable[[], Take | None], made: Callable[[Area], None] = lambda _: None
    ) -> None:
        """`take_of` gives the take that is looked at; `made` is told of each new area."""
        self._session = context.session
        self._take_of, self._made = take_of, made
        self._chosen = ""
        self.chosen_changed: list[Callable[[], None]] = []

    @property
    def take(self) -> Take | None:
        return self._take_of()

    @property
    def chosen(self) -> Area | None:
        """The area that is changed: the one chosen last that is still there, else the last one."""
        take = self.take
        if take is None or not take.areas:
            return None
        return next((each for each in take.areas if each.id == self._chosen), take.areas[-1])

    def choose(self, area_id: str) -> None:
        self._chosen = area_id
        for told in self.chosen_changed:
            told()

    def draw(self, shape: Shape, frame: int, places: Places) -> None:
        """Adds an area of a shape as it was drawn on a frame."""
        outline = Outline(frame=frame, places=_plain(places[: MOST_PLACES[shape]]))
        self._add(shape, Drawn(shape=shape, outlines=(outline,)))

    def pick(self, frame: int, place: tuple[float, float], lab: Lab) -> None:
        """Adds a colour to the chosen area of colours, or makes one of it."""
        picked = Pick(frame=frame, place=(round(place[0], 2), round(place[1], 2)), lab=lab)
        area = self.chosen
        part = None if area is None else coloured_part(area)
        if area is None or part is None:
            self._add("coloured", Coloured(picks=(picked,)))
            return
        self._put(_with_part(area, part.changed(picks=(*part.picks, picked))), "", "Choose a colour")

    def add_film(self, path: Path) -> str:
        """Makes an area of what another film shows in white; a sentence where that cannot be."""
        try:
            index_frames(path)
            filmed = Filmed(name=path.name[:500], path=str(path), fingerprint=fingerprint(path))
        except ClevrinError as error:
            return str(error)
        self._add("filmed", filmed)
        return ""

    def cut_out_mover(self, mover: Mover) -> None:
        """Cuts out what moves by itself, from the frame on which it is best seen."""
        left, top, right, bottom = mover.box
        aside, above = (right - left) * _AROUND, (bottom - top) * _AROUND
        take = self.take
        if take is not None:
            low = np.maximum([left - aside, top - above], 0)
            high = np.minimum([right + aside, bottom + above], [take.facts.width - 1, take.facts.height - 1])
            x, y, to_x, to_y = (round(float(each), 2) for each in (*low, *high))
            self._add("cut-out", CutOut(around=(Around(frame=mover.frame, box=(x, y, to_x, to_y)),)))

    def cut_out(self, frame: int, places: Places) -> None:
        """Cuts out the subject about which a box was drawn; of a chosen cut-out it is another box about it."""
        (left, top), (right, bottom) = places.min(axis=0).tolist(), places.max(axis=0).tolist()
        around = Around(frame=frame, box=(round(left, 2), round(top, 2), round(right, 2), round(bottom, 2)))
        area = self.chosen
        part = None if area is None else cut_part(area)
        if area is None or part is None:
            self._add("cut-out", CutOut(around=(around,)))
        else:
            self._put(_with_part(area, part.put(around)), "", "Put a box about a subject")

    def stroke(self, frame: int, places: Places, width_px: float, *, belongs: bool) -> None:
        """Corrects the chosen cut-out by what was painted over on a frame."""
        area = self.chosen
        part = None if area is None else cut_part(area)
        if area is None or part is None or not len(places):
            return
        some = places[:: 1 + len(places) // _MOST_OF_STROKE]
        width = min(1000.0, max(1.0, round(width_px, 2)))
        made = Stroke(frame=frame, places=_plain(some), width_px=width, belongs=belongs)
        self._put(_with_part(area, part.changed(strokes=(*part.strokes, made))), "", "Correct a cut-out")

    def follow_middle(self) -> None:
        """Follows the middle of the chosen cut-out: a track of the take, which goes with what is said of it later."""
        take, area = self.take, self.chosen
        part = None if area is None else cut_part(area)
        if take is None or area is None or part is None or self.followed:
            return
        first = part.around[0]
        left, top, right, bottom = first.box
        placed = (Placement(frame=first.frame, places=(((left + right) / 2, (top + bottom) / 2),)),)
        track = Track(name=area.name, kind="point", placed=placed, cut=part, area_id=area.id)
        self._session.do(AddTrack(take_id=take.id, track=track))

    @property
    def followed(self) -> bool:
        """Whether the middle of the chosen area is followed."""
        take, area = self.take, self.chosen
        return take is not None and area is not None and any(each.area_id == area.id for each in take.tracks)

    def forget_strokes(self, frame: int) -> None:
        """Takes away what was painted over on a frame."""
        area = self.chosen
        part = None if area is None else cut_part(area)
        if area is not None and part is not None and any(each.frame == frame for each in part.strokes):
            kept = tuple(each for each in part.strokes if each.frame != frame)
            self._put(_with_part(area, part.changed(strokes=kept)), "", "Take strokes away")

    def move(self, frame: int, places: Places, gesture: str = "") -> None:
        """Puts the points of the chosen drawn area where they are to be on a frame."""
        area = self.chosen
        part = None if area is None else drawn_part(area)
        if area is not None and part is not None:
            moved = part.put(Outline(frame=frame, places=_plain(places)))
            self._put(_with_part(area, moved), gesture, "Move an area")

    def set_area(self, gesture: str, **fields: object) -> None:
        """Changes what an area as a whole has: how it grows, how soft it is."""
        area = self.chosen
        if area is not None:
            self._put(area.changed(**fields), gesture)

    def count_here(self, frame: int, share: float) -> None:
        """Says how much of the area counts at a frame; until something is said elsewhere, so much on every frame."""
        area = self.chosen
        if area is not None:
            seen = put_on_frame(area.seen, Seen(frame=frame, share=round(share, 3)))
            self._put(area.changed(seen=seen), f"counts at {frame}", "Change how much an area counts")

    def count_throughout(self) -> None:
        """All of the area counts on every frame again."""
        area = self.chosen
        if area is not None:
            self._put(area.changed(seen=()), "", "Count all of an area")

    def set_colours(self, gesture: str, **fields: object) -> None:
        area = self.chosen
        part = None if area is None else coloured_part(area)
        if area is not None and part is not None:
            self._put(_with_part(area, part.changed(**fields)), gesture)

    def go_along(self, along: str, track_id: str | None = None) -> None:
        """Says with what the chosen drawn area goes; with a track, which one."""
        area = self.chosen
        part = None if area is None else drawn_part(area)
        if area is not None and part is not None:
            changed = part.changed(along=along, track_id=track_id)
            self._put(_with_part(area, changed), "", "Carry an area along")

    def combine(self, mode: Mode, area_id: str) -> None:
        """Takes another area out of the chosen one, or keeps what both have; "" takes that back."""
        area = self.chosen
        if area is None or area_id == area.id:
            return
        kept = tuple(each for each in area.parts if not (isinstance(each.of, Other) and each.mode == mode))
        added = (AreaPart(of=Other(area_id=area_id), mode=mode),) if area_id else ()
        self._put(area.changed(parts=(*kept, *added)), "", "Combine areas")

    def combined(self, mode: Mode) -> str:
        """The id of the area that the chosen one is combined with so; "" for none."""
        parts = () if self.chosen is None else self.chosen.parts
        return next((each.of.area_id for each in parts if isinstance(each.of, Other) and each.mode == mode), "")

    def turn_about(self, inverted: bool) -> None:
        """The area is all but what was drawn or chosen, or that again."""
        area = self.chosen
        if area is not None:
            parts = (area.parts[0].changed(inverted=inverted), *area.parts[1:])
            self._put(area.changed(parts=parts), "", "Turn an area about")

    def leave_out(self, left_out: bool) -> None:
        """What the area holds does not count when the take's motion is measured, or it does again."""
        area = self.chosen
        if area is not None:
            label = "Leave an area out" if left_out else "Count an area again"
            self._put(area.changed(left_out=left_out), "", label)

    def rename(self, area_id: str, name: str) -> None:
        take = self.take
        if take is not None and name:
            renamed = take.area(area_id).changed(name=name)
            self._session.do(PutArea(take_id=take.id, area=renamed, label="Name an area"))

    def remove(self) -> None:
        take, area = self.take, self.chosen
        if take is not None and area is not None:
            self._session.do(RemoveArea(take_id=take.id, area_id=area.id))

    def _add(self, of: str, part: Drawn | Coloured | CutOut | Filmed) -> None:
        take = self.take
        if take is None:
            return
        names = {each.name for each in take.areas}
        name = next(n for n in (f"{_NAMES[of]} {k}" for k in range(1, len(names) + 2)) if n not in names)
        area = Area(name=name, parts=(AreaPart(of=part),))
        if self._session.do(PutArea(take_id=take.id, area=area, label="Make an area")):
            self.choose(area.id)
            self._made(area)

    def _put(self, area: Area, gesture: str, label: str = "Change an area") -> None:
        take = self.take
        assert take is not None
        edit = PutArea(take_id=take.id, area=area, label=label)
        self._session.do(edit, gesture=f"area {area.id} {gesture}" if gesture else None)


def drawn_part(area: Area) -> Drawn | None:
    """The part of an area that is dragged: the last one that was drawn."""
    return next((each.of for each in reversed(area.parts) if isinstance(each.of, Drawn)), None)


def coloured_part(area: Area) -> Coloured | None:
    """The part of an area to which colours are added."""
    return next((each.of for each in reversed(area.parts) if isinstance(each.of, Coloured)), None)


def cut_part(area: Area) -> CutOut | None:
    """The part of an area that is cut out, and corrected by strokes."""
    return next((each.of for each in reversed(area.parts) if isinstance(each.of, CutOut)), None)


def _with_part(area: Area, part: Drawn | Coloured | CutOut) -> Area:
    """An area with another value of its last part of that sort."""
    number = max(k for k, each in enumerate(area.parts) if type(each.of) is type(part))
    parts = (*area.parts[:number], area.parts[number].changed(of=part), *area.parts[number + 1 :])
    return area.changed(parts=parts)


def _plain(places: Places) -> tuple[tuple[float, float], ...]:
    return tuple((round(float(x), 3), round(float(y), 3)) for x, y in places)
