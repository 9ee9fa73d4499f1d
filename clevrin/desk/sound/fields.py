"""The settings of the reel's sound as a table: a new one is a row here."""

from dataclasses import dataclass

from clevrin.core.document import LANES, LaneName, Project, Shot
from clevrin.core.document.sounding import MOST_LOWERED_DB, level_within
from clevrin.desk.sound.edits import ALONE, MUTED, SoundEdits
from clevrin.desk.widgets.fields import Choice, Field, Number
from clevrin.desk.widgets.level_field import level_field

_LONGEST_S = 10.0


@dataclass(frozen=True, kw_only=True)
class SoundHere:
    """The project, the chosen shot, and the lane that is listened to alone."""

    project: Project
    shot: Shot | None
    alone: LaneName | None

    @property
    def rate(self) -> float:
        return float(self.project.reel.rate)

    @property
    def music_level_db(self) -> float:
        """How loud the music is in all: its own level, and that of its lane."""
        music, lane = self.project.music, self.project.mix.music
        return lane.level_db if music is None else level_within(music.level_db + lane.level_db)


def _level(lane: LaneName, help_text: str) -> Number:
    return level_field(
        id=f"{lane} level",
        title=lane.capitalize(),
        help=help_text,
        value=lambda here: here.project.mix.lane(lane).level_db,
        edit=lambda edits, value, gesture: edits.set_level(lane, value, gesture),
    )


def _heard(lane: LaneName) -> Choice:
    return Choice(
        id=f"{lane} heard",
        page="",
        title="",
        help="",
        several=True,
        columns=2,
        shown=lambda _: False,  # its buttons stand beside the name of the level
        options=(
            (MUTED, "Muted", "This lane is not heard: in what is rendered, too"),
            (ALONE, "Alone", "Only this lane is heard while you listen; what is rendered has all of them"),
        ),
        value=lambda here: tuple(
            key
            for key, on in ((MUTED, here.project.mix.lane(lane).muted), (ALONE, here.alone == lane))
            if on
        ),
        edit=lambda edits, key, _: edits.switch(lane, key),
    )  # fmt: skip


def _fade(id: str, title: str, help_text: str, **how: object) -> Number:
    return Number(
        id=id,
        page="",
        title=title,
        help=help_text,
        low=0.0,
        high=_LONGEST_S,
        step=0.02,
        bend=2.0,
        default=0.0,
        words=lambda value: f"{value:.2f} s",
        **how,  # type: ignore[arg-type]
    )


def _shot_fade(id: str, title: str, help_text: str, name: str) -> Number:
    return _fade(
        id,
        title,
        help_text,
        shown=lambda here: here.shot is not None,
        value=lambda here: getattr(here.shot.sound, name) / here.rate if here.shot is not None else 0.0,
        edit=lambda edits, value, gesture: edits.change_chosen(gesture, **{name: value}),
    )


def _music_fade(id: str, title: str, help_text: str, name: str) -> Number:
    return _fade(
        id,
        title,
        help_text,
        shown=lambda here: here.project.music is not None,
        value=lambda here: getattr(here.project.music, name) if here.project.music is not None else 0.0,
        edit=lambda edits, value, gesture: edits.change_music(gesture, **{name: value}),
    )


_LEVELS = {
    "takes": "How loud the takes' own sound is, all of it",
    "music": "How loud the music is: the line in its lane",
    "swishes": "How loud the swishes of all joins are",
}


def _of_lane(lane: LaneName) -> Number:
    """How loud a lane is; of the music it is what its line in the lane shows, wherever that was set."""
    if lane != "music":
        return _level(lane, _LEVELS[lane])
    return level_field(
        id="music level",
        title="Music",
        help=_LEVELS[lane],
        value=lambda here: here.music_level_db,
        edit=lambda edits, value, gesture: edits.set_music_level(value, gesture),
    )


FIELDS: tuple[Field[SoundHere, SoundEdits], ...] = (
    *(_of_lane(lane) for lane in LANES),
    *(_heard(lane) for lane in LANES),
    Number(
        id="lowered",
        page="",
        title="Music makes room",
        help="By how much the music goes down where the takes' own sound is loud: before it, and back after it",
        low=0.0,
        high=MOST_LOWERED_DB,
        step=0.5,
        default=0.0,
        words=lambda value: f"{value:.1f} dB",
        shown=lambda here: here.project.music is not None,
        value=lambda here: here.project.mix.lowered_db,
        edit=lambda edits, value, gesture: edits.lower_music(value, gesture),
    ),
    level_field(
        id="shot level",
        title="This shot",
        help="How loud the chosen shot's own sound is",
        shown=lambda here: here.shot is not None,
        value=lambda here: here.shot.sound.level_db if here.shot is not None else 0.0,
        edit=lambda edits, value, gesture: edits.change_chosen(gesture, level_db=value),
    ),
    _shot_fade("shot comes", "It comes in over", "Over how long its sound comes out of silence", "fade_in"),
    _shot_fade("shot goes", "It goes over", "Over how long its sound goes into silence", "fade_out"),
    _music_fade("music comes", "Music comes in over", "Over how long the music comes out of silence", "fade_in_s"),
    _music_fade("music goes", "Music goes over", "Over how long the music goes into silence", "fade_out_s"),
)
