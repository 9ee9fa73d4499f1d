"""What a user does with what is pinned to a shot: every change as an edit, or a sentence why there is none."""

from collections.abc import Callable
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from clevrin.core.document import Drawing, Film, Pinned, PinPose, Shot, Take, Track, Words
from clevrin.core.document.edits import PutPinned, RemovePinned
from clevrin.core.document.pinned import Corners, Ground
from clevrin.core.elements import SUFFIXES, missing_letters, missing_words, read_drawing, set_words
from clevrin.core.errors import ClevrinError
from clevrin.core.media.probe import fingerprint
from clevrin.core.motion.geometry.models import apply
from clevrin.core.motion.tracks.both_ways import Followed, carried
from clevrin.core.render.measured.carried import OWN_SQUARE, PinKnown, PosedAt, widths_from_own
from clevrin.desk.bench.context import Context
from clevrin.desk.widgets.file_dialogs import FileDialogs

Numbers = NDArray[np.float64]

PICTURES = f"Pictures ({' '.join(f'*{suffix}' for suffix in SUFFIXES)})"
FONTS = "Fonts (*.ttf *.otf)"
FIRST_WORDS = "Kite day"
_WIDTH = 0.4
"""How wide an element is at first, as a share of the gate."""


@dataclass(frozen=True, kw_only=True)
class Likeness:
    """How something is moved in its own plane: by shares of its own width, made larger, turned."""

    x: float = 0.0
    y: float = 0.0
    size: float = 1.0
    turn_deg: float = 0.0

    @property
    def matrix(self) -> Numbers:
        turn = np.radians(self.turn_deg)
        cos, sin = self.size * np.cos(turn), self.size * np.sin(turn)
        return np.array([[cos, -sin, self.x], [sin, cos, self.y], [0, 0, 1.0]])


class PinnedEdits:
    """Changes what is pinned to the chosen shot, and the element of it that is chosen.

    `gate` gives the corners of the gate on the take's picture at the frame that is looked at.
    """

    def __init__(self, context: Context, gate: Callable[[], Numbers | None]) -> None:
        self._context, self._session, self._gate = context, context.session, gate
        self._files: FileDialogs | None = None
        self._chosen = ""
        self._carried: tuple[Followed, Followed] | None = None
        self.by_poses = False
        """Whether a drag sets a pose at the frame that is looked at, in the place of where it is pinned."""
        self.told: Callable[[str], None] = lambda sentence: None
        self.changed: Callable[[], None] = lambda: None

    def use(self, files: FileDialogs) -> None:
        """With what files are asked for."""
        self._files = files

    # What there is

    @property
    def shot(self) -> Shot | None:
        return self._session.shot

    @property
    def take(self) -> Take | None:
        shot = self.shot
        return None if shot is None else self._session.project.take(shot.take_id)

    @property
    def frame(self) -> int:
        """The frame of the take that is looked at."""
        return self._context.player.frame

    @property
    def chosen(self) -> Pinned | None:
        """The element that is changed: the one chosen last that is still there, else the last one."""
        shot = self.shot
        if shot is None or not shot.pinned:
            return None
        return next((each for each in shot.pinned if each.id == self._chosen), shot.pinned[-1])

    def choose(self, pinned_id: str) -> None:
        self._chosen = pinned_id
        self.changed()

    def known(self, pinned: Pinned) -> PinKnown | None:
        """Where an element is on each frame, as far as what carries it is known; None where no shot is chosen."""
        take = self.take
        if take is None:
            return None
        trace = self._context.measurements.trace(take)
        still = np.broadcast_to(np.eye(3), (take.facts.frames, 3, 3))
        chain = still if trace is None else self._context.measurements.store.chain(take, trace)
        track = self._track(take, pinned)
        followed = None if track is None else self._context.track_jobs.of(track)
        if followed is None or not followed.known.any():
            return PinKnown(pinned=pinned, take=take, chain=chain)
        if self._carried is None or self._carried[0] is not followed:
            self._carried = followed, carried(followed, chain)
        return PinKnown(pinned=pinned, take=take, chain=chain, followed=self._carried[1])

    @staticmethod
    def _track(take: Take, pinned: Pinned) -> Track | None:
        named = pinned.track_id if pinned.ground != "scene" else None
        return next((each for each in take.tracks if each.id == named), None)

    def corners(self, pinned: Pinned) -> Numbers | None:
        """(4, 2): where an element's corners are on the frame that is looked at, with its pose."""
        known = self.known(pinned)
        return None if known is None else np.asarray(apply(known.src_from_own(self.frame), OWN_SQUARE))

    # Making

    def add_words(self) -> None:
        words = Words(text=FIRST_WORDS, shadow=0.06)
        self._add(words, FIRST_WORDS, _words_shape(words))

    def ask_for_drawing(self) -> None:
        assert self._files is not None
        self._files.ask_for_one("Pin a picture", self.add_drawing, PICTURES)

    def add_drawing(self, path: Path) -> None:
        try:
            height, width = read_drawing(path).shape[:2]
            drawing = Drawing(name=path.name[:500], path=str(path), fingerprint=fingerprint(path))
        except ClevrinError as error:
            self.told(str(error))
            return
        self._add(drawing, path.stem, (width, height))

    def add_film(self, take_id: str) -> None:
        """Pins a take of the project."""
        take = self._session.project.take(take_id)
        self._add(Film(take_id=take_id), take.name, (take.facts.width, take.facts.height))

    def _add(self, of: Words | Drawing | Film, name: str, shape: tuple[int, int]) -> None:
        """Pins an element of a width and height by itself in the middle of the gate."""
        shot, gate = self.shot, self._gate()
        if shot is None or gate is None:
            self.told("Choose a shot first: what is pinned stands in its scene.")
            return
        frame = min(max(self.frame, shot.span.first), shot.span.end - 1)
        across, down = (gate[1] - gate[0]) * _WIDTH / 2, (gate[3] - gate[0]) * _WIDTH / 2
        down = down / np.hypot(*down) * np.hypot(*across) * shape[1] / shape[0]
        middle = gate.mean(axis=0)
        corners = [middle - across - down, middle + across - down, middle + across + down, middle - across + down]
        pinned = Pinned(name=name[:500], of=of, frame=frame, corners=_plain(np.array(corners)))
        if self._session.do(PutPinned(shot_id=shot.id, pinned=pinned, label=f"Pin {pinned.name}"[:60])):
            self.choose(pinned.id)
            self.told("")

    # Changing

    def set(self, gesture: str = "", **fields: object) -> None:
        pinned = self.chosen
        if pinned is not None:
            self._put(pinned.changed(**fields), gesture)

    def set_words(self, gesture: str = "", **fields: object) -> None:
        """Changes words; they stay as high, about the same middle. Letters that are not there are said instead."""
        pinned = self.chosen
        if pinned is None or not isinstance(pinned.of, Words):
            return
        try:
            words = pinned.of.changed(**fields)
            missing = missing_letters(words)
            if missing:
                self.told(f"The font has no letters for {missing_words(missing)}.")
                return
            before, after = _words_shape(pinned.of), _words_shape(words)
        except ClevrinError as error:
            self.told(str(error))
            return
        except ValueError:
            self.told("Words have a letter at least, and not more than five hundred.")
            return
        self.told("")
        wider = (after[0] / after[1]) / (before[0] / before[1])
        stretched = np.array([0.5, 0.5]) + (OWN_SQUARE - 0.5) * (wider, 1.0)
        known = self.known(pinned)
        assert known is not None
        corners = _plain(apply(known.placed, stretched))
        name = words.name if "text" in fields else pinned.name
        self._put(pinned.changed(of=words, corners=corners, name=name), gesture)

    def ask_for_font(self) -> None:
        assert self._files is not None
        self._files.ask_for_one(
            "Set the words in a font of your own", lambda path: self.set_words(font=str(path)), FONTS
        )

    def stand(self, ground: Ground, track_id: str | None) -> None:
        """Says with what the chosen element goes; on the frame that is looked at it stays where it is."""
        pinned = self.chosen
        if pinned is None:
            return
        here = self._unposed(pinned)
        if here is not None:
            changes = {"ground": ground, "track_id": track_id, "frame": self.frame, "corners": _plain(here)}
            self._put(pinned.changed(**changes), "")

    def fill_surface(self) -> None:
        """Lays the chosen element over the whole of the surface that it lies on."""
        pinned, take = self.chosen, self.take
        track = None if pinned is None or take is None else self._track(take, pinned)
        followed = None if track is None else self._context.track_jobs.of(track)
        if pinned is None or track is None or followed is None or track.kind != "surface":
            return
        known = np.flatnonzero(followed.known)
        if len(known):
            frame = int(known[np.argmin(np.abs(known - self.frame))])
            self._put(pinned.changed(frame=frame, corners=_plain(followed.places[frame]), poses=()), "")

    def liken(self, by: Likeness, begun: Pinned, gesture: str) -> None:
        """Moves, sizes and turns an element in its own plane, from how it was when a drag of it began."""
        known = self.known(begun)
        if known is None:
            return
        if self.by_poses:
            was = known.pose(self.frame)
            self._put(begun.put(_posed(was, by, self.frame)), gesture)
            return
        own = widths_from_own(begun)
        square = apply(np.linalg.inv(own) @ by.matrix @ own, OWN_SQUARE)
        self._lay(begun, apply(known.carried(self.frame) @ known.placed, square), gesture)

    def pull(self, corner: int, place: tuple[float, float], begun: Pinned, gesture: str) -> None:
        """Pulls a corner of an element to a place of the picture, the others stay."""
        here = self._unposed(begun)
        if here is not None:
            here[corner] = place
            self._lay(begun, here, gesture)

    def _lay(self, begun: Pinned, corners: Numbers, gesture: str) -> None:
        try:
            self._put(begun.changed(frame=self.frame, corners=_plain(corners)), gesture)
        except ValueError:  # a corner was pulled through the others: it stays where it was last
            return

    def _unposed(self, pinned: Pinned) -> Numbers | None:
        """Where an element would be on the frame that is looked at without its poses."""
        known = self.known(pinned)
        return None if known is None else apply(known.carried(self.frame) @ known.placed, OWN_SQUARE)

    def remove_pose(self) -> None:
        pinned = self.chosen
        if pinned is not None and any(each.frame == self.frame for each in pinned.poses):
            self._put(pinned.changed(poses=tuple(each for each in pinned.poses if each.frame != self.frame)), "")

    def set_seen_here(self, seen: float, gesture: str) -> None:
        """How much of it is seen: at the pose that stands here, or of all of it."""
        pinned = self.chosen
        pose = None if pinned is None else next((p for p in pinned.poses if p.frame == self.frame), None)
        if pinned is not None and pose is not None:
            self._put(pinned.put(pose.changed(seen=seen)), gesture)
        else:
            self.set(gesture, opacity=seen)

    def begin_here(self) -> None:
        pinned = self.chosen
        if pinned is not None and (pinned.end is None or self.frame < pinned.end):
            self._put(pinned.changed(first=self.frame), "")

    def end_here(self) -> None:
        pinned = self.chosen
        if pinned is not None and self.frame >= pinned.first:
            self._put(pinned.changed(end=self.frame + 1), "")

    def always(self) -> None:
        self.set(first=0, end=None)

    def toggle_behind(self, area_id: str) -> None:
        """Has an area of the take stand before it, or no more."""
        pinned = self.chosen
        if pinned is not None:
            others = tuple(each for each in pinned.behind if each != area_id)
            self._put(pinned.changed(behind=others if area_id in pinned.behind else (*others, area_id)), "")

    def remove(self) -> None:
        shot, pinned = self.shot, self.chosen
        if shot is not None and pinned is not None:
            self._session.do(RemovePinned(shot_id=shot.id, pinned_id=pinned.id))

    def end(self) -> None:
        """A drag is over: the next one is undone by itself."""
        self._session.end_gesture()

    def put_back(self, gesture: str, pinned_id: str) -> None:
        """Undoes a drag that is not over."""
        self._session.cancel_gesture(self._named(gesture, pinned_id))

    @staticmethod
    def _named(gesture: str, pinned_id: str) -> str:
        return f"pinned {pinned_id} {gesture}"

    def _put(self, pinned: Pinned, gesture: str) -> None:
        shot = self.shot
        assert shot is not None
        named = self._named(gesture, pinned.id) if gesture else None
        self._session.do(PutPinned(shot_id=shot.id, pinned=pinned), gesture=named)


def _posed(was: PosedAt, by: Likeness, frame: int) -> PinPose:
    """A pose moved as a drag says; its own place is turned and sized about its middle, which is moved."""
    return PinPose(
        frame=frame,
        x=round(was.x + by.x, 5),
        y=round(was.y + by.y, 5),
        size=float(np.clip(round(was.size * by.size, 5), 0.01, 100)),
        turn_deg=round(was.turn_deg + by.turn_deg, 3),
        seen=was.seen,
    )


def _plain(corners: Numbers) -> Corners:
    a, b, c, d = ((round(float(x), 3), round(float(y), 3)) for x, y in corners)
    return a, b, c, d


@lru_cache(maxsize=64)
def _words_shape(words: Words) -> tuple[int, int]:
    height, width = set_words(words).shape[:2]
    return width, height
