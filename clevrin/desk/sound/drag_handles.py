"""Drags on the lanes of sound: what each of them does to the document, and what it says of itself.

A drag is made from how the reel was before it, at every step anew, so that all its steps are one.
"""

from collections.abc import Callable
from dataclasses import dataclass

from clevrin.core.document import Music, Shot, ShotSound
from clevrin.core.document.edits import Edit, LayMusic, SetLeaves, SetShotSounds
from clevrin.core.document.music import LONGEST_FADE_S
from clevrin.core.document.sounding import level_within
from clevrin.core.join.kinds import kind_of
from clevrin.core.media.writing import SOUND_RATE
from clevrin.core.sound.takes import heard_shot, sound_setting
from clevrin.desk.sound.layout import LANE_HEIGHT, LanesLayout, Touch
from clevrin.desk.widgets.level_field import level_words

_STEP_DB, _FINE_STEP_DB, _SNAP_DB = 0.5, 0.1, 0.6
_LANE_DB, _FINE_DB = 18.0, 3.0
"""What dragging by the height of a lane changes: half a dB a pixel, and a tenth of one."""


@dataclass(frozen=True, kw_only=True)
class SoundOutcome:
    """What a drag does, and the words beside the pointer."""

    edit: Edit
    words: str


class SoundDrag:
    """One drag from its start to its end."""

    def __init__(self, touch: Touch, layout: LanesLayout) -> None:
        self._touch, self._layout, self._project = touch, layout, layout.project

    def at(self, right_px: float, down_px: float, *, finely: bool = False) -> SoundOutcome:
        """What the drag does when it has come so far; `finely`: a level goes a sixth of its way."""
        self._finely = finely
        does: dict[str, Callable[[float, float], SoundOutcome]] = {
            "level": self._level,
            "comes": self._comes,
            "goes": self._goes,
            "passes over": self._passes_over,
            "crosses": self._crosses,
            "music level": self._music_level,
            "music comes": self._music_comes,
            "music goes": self._music_goes,
            "swish": self._swish,
        }
        return does[self._touch.part](right_px / self._layout.reel.px_per_frame, down_px / LANE_HEIGHT)

    # `frames`: to the right; `down`: in heights of a lane

    def _level(self, frames: float, down: float) -> SoundOutcome:
        shot = self._shot
        level = self._level_at(shot.sound.level_db, down)
        edit = SetShotSounds(sounds=((shot.id, shot.sound.changed(level_db=level)),), label="Change level")
        return SoundOutcome(edit=edit, words=f"{self._name}: {level_words(level)}")

    def _comes(self, frames: float, down: float) -> SoundOutcome:
        own, room = self._shot.sound, self._heard_frames - self._shot.sound.fade_out
        over = max(0, min(round(own.fade_in + frames), room))
        return self._faded(own.changed(fade_in=over), f"comes in over {self._time(over)}")

    def _goes(self, frames: float, down: float) -> SoundOutcome:
        own, room = self._shot.sound, self._heard_frames - self._shot.sound.fade_in
        over = max(0, min(round(own.fade_out - frames), room))
        return self._faded(own.changed(fade_out=over), f"goes over {self._time(over)}")

    def _faded(self, sound: ShotSound, words: str) -> SoundOutcome:
        edit = SetShotSounds(sounds=((self._shot.id, sound),), label="Fade sound")
        return SoundOutcome(edit=edit, words=f"{self._name} {words}")

    def _passes_over(self, frames: float, down: float) -> SoundOutcome:
        later = self._in_range("sound_later", self._setting("sound_later") + frames)
        words = f"sound cuts {abs(later):.0f} frames {'after' if later > 0 else 'before'} the picture"
        return self._joined("sound_later", later, words if later else "sound cuts with the picture")

    def _crosses(self, frames: float, down: float) -> SoundOutcome:
        length = self._in_range("sound_length", self._setting("sound_length") + 2 * self._touch.way * frames)
        return self._joined("sound_length", length, f"sound crosses in {self._time(round(length))}")

    def _swish(self, frames: float, down: float) -> SoundOutcome:
        loud = min(1.0, max(0.0, self._setting("swish") - down))
        loud = round(loud, 2)
        return self._joined("swish", loud, f"swish {loud:.0%}" if loud else "no swish")

    def _music_level(self, frames: float, down: float) -> SoundOutcome:
        level = self._level_at(self._music.level_db, down)
        return self._laid({"level_db": level}, "Change level", f"music: {level_words(level)}")

    def _music_comes(self, frames: float, down: float) -> SoundOutcome:
        over = self._fade_s(self._music.fade_in_s + frames / self._rate, self._music.fade_out_s)
        return self._laid({"fade_in_s": over}, "Fade music", f"music comes in over {over:.2f} s")

    def _music_goes(self, frames: float, down: float) -> SoundOutcome:
        over = self._fade_s(self._music.fade_out_s - frames / self._rate, self._music.fade_in_s)
        return self._laid({"fade_out_s": over}, "Fade music", f"music goes over {over:.2f} s")

    def _laid(self, changed: dict[str, float], label: str, words: str) -> SoundOutcome:
        return SoundOutcome(edit=LayMusic(music=self._music.changed(**changed), label=label), words=words)

    def _level_at(self, before_db: float, down: float) -> float:
        """A level that is dragged down by so many heights of its lane: evenly in dB, wherever it stands."""
        step = _FINE_STEP_DB if self._finely else _STEP_DB
        level = round((before_db - down * (_FINE_DB if self._finely else _LANE_DB)) / step) * step
        snaps = not self._finely and abs(level) < _SNAP_DB
        return 0.0 if snaps else level_within(round(level, 2))

    def _joined(self, name: str, value: float, words: str) -> SoundOutcome:
        leave = self._shot.leave.having(**{name: value})
        return SoundOutcome(edit=SetLeaves(leaves=((self._shot.id, leave),), label="Set join"), words=words)

    # How it was

    @property
    def _shot(self) -> Shot:
        return self._layout.reel.row[self._touch.index].shot

    @property
    def _name(self) -> str:
        return self._layout.reel.row[self._touch.index].take.name

    @property
    def _music(self) -> Music:
        assert self._project.music is not None, "what is dragged is there"
        return self._project.music

    @property
    def _rate(self) -> float:
        return float(self._project.reel.rate)

    @property
    def _heard_frames(self) -> int:
        found = heard_shot(self._layout.reel.row, self._project, self._touch.index)
        return int((found.ends - found.begins) / SOUND_RATE * self._rate)

    def _setting(self, name: str) -> float:
        return sound_setting(self._layout.reel.row[self._touch.index], name)

    def _in_range(self, name: str, value: float) -> float:
        """A whole number of frames that the join's setting can be."""
        setting = next(each for each in kind_of(self._shot.leave).settings if each.id == name)
        return float(round(min(setting.high, max(setting.low, value))))

    def _fade_s(self, over: float, other: float) -> float:
        left, _, _, right = self._layout.music() or (0.0, 0.0, 0.0, 0.0)
        heard_s = (right - left) / self._layout.reel.px_per_frame / self._rate
        return round(max(0.0, min(over, heard_s - other, LONGEST_FADE_S)), 2)

    def _time(self, frames: int) -> str:
        return f"{frames} frames · {frames / self._rate:.2f} s"


_OF_SHOT = {"level": "level_db", "comes": "fade_in", "goes": "fade_out"}
_OF_JOIN = {"passes over": "sound_later", "crosses": "sound_length", "swish": "swish"}
_OF_MUSIC = {"music level": "level_db", "music comes": "fade_in_s", "music goes": "fade_out_s"}


def usual(touch: Touch, layout: LanesLayout) -> Edit | None:
    """What puts back what is usual, for a double click."""
    music, part = layout.project.music, touch.part
    if part in _OF_MUSIC and music is not None:
        name = _OF_MUSIC[part]
        default = type(music).model_fields[name].default
        return LayMusic(music=music.changed(**{name: default}), label="Change sound")
    if part not in (*_OF_SHOT, *_OF_JOIN):
        return None
    shot = layout.reel.row[touch.index].shot
    if part in _OF_SHOT:
        return SetShotSounds(sounds=((shot.id, shot.sound.changed(**{_OF_SHOT[part]: 0})),))
    leave = shot.leave.having(**{_OF_JOIN[part]: 0.0})
    return SetLeaves(leaves=((shot.id, leave),), label="Set join")
