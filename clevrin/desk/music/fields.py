"""The settings of music as a table: a new one is a row here."""

from dataclasses import dataclass

from clevrin.core.document import Music
from clevrin.core.document.music import USUAL_DB
from clevrin.core.sound.music_track import FASTEST_BPM, SLOWEST_BPM
from clevrin.desk.music.edits import MusicEdits
from clevrin.desk.widgets.fields import Field, Number
from clevrin.desk.widgets.level_field import level_field

_LATEST_S = 600.0


@dataclass(frozen=True, kw_only=True)
class MusicHere:
    """The music, and the tempo and first beat (an instant of the reel) that even beats would have."""

    music: Music
    tempo_bpm: float
    first_s: float


FIELDS: tuple[Field[MusicHere, MusicEdits], ...] = (
    level_field(
        id="level",
        title="Level",
        help="How loud the music is under the takes' own sound",
        default=USUAL_DB,
        value=lambda here: here.music.level_db,
        edit=lambda edits, value, gesture: edits.set_level(value, gesture),
    ),
    Number(
        id="start",
        page="",
        title="Begins at",
        help="The second of the reel at which the music begins; below 0 its beginning is not heard. Beats go along.",
        low=-_LATEST_S,
        high=_LATEST_S,
        step=0.01,
        default=0.0,
        words=lambda value: f"{value:.2f} s",
        value=lambda here: here.music.start_s,
        edit=lambda edits, value, gesture: edits.begin_at(value, gesture),
    ),
    Number(
        id="tempo",
        page="",
        title="Tempo",
        help="Beats a minute of the even beats that the button below sets",
        low=SLOWEST_BPM,
        high=FASTEST_BPM,
        step=0.01,
        default=120.0,
        words=lambda value: f"{value:.2f} a minute",
        value=lambda here: here.tempo_bpm,
        edit=lambda edits, value, gesture: edits.note_tempo(value),
    ),
    Number(
        id="first",
        page="",
        title="A beat at",
        help="A second of the reel on which one of the even beats falls",
        low=0.0,
        high=_LATEST_S,
        step=0.01,
        default=0.0,
        words=lambda value: f"{value:.2f} s",
        value=lambda here: here.first_s,
        edit=lambda edits, value, gesture: edits.note_first(value),
    ),
)
