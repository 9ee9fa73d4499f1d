"""What a user does with the lanes of sound: every change as an edit."""

from PySide6.QtCore import QObject, Signal

from clevrin.core.document import LaneName, Project
from clevrin.core.document.edits import LayMusic, SetMix, SetShotSounds
from clevrin.core.document.sounding import level_within
from clevrin.desk.state.session import Session

MUTED, ALONE = "muted", "alone"


class SoundEdits(QObject):
    """Changes lanes, the sound of the chosen shots, and the fades of the music; knows what is listened to alone."""

    alone_changed = Signal()

    def __init__(self, session: Session, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._session = session
        self.alone: LaneName | None = None
        """The lane that is listened to alone: a way of listening, which no render knows."""
        session.opened.connect(lambda: self.listen_to(None))

    def listen_to(self, lane: LaneName | None) -> None:
        """Has one lane heard alone, or all of them again."""
        if lane != self.alone:
            self.alone = lane
            self.alone_changed.emit()

    def as_heard(self, project: Project) -> Project:
        """A project as it sounds to who listens to one lane alone."""
        return project if self.alone is None else project.changed(mix=project.mix.alone(self.alone))

    def set_level(self, lane: LaneName, level_db: float, gesture: str = "") -> None:
        mix = self._session.project.mix
        changed = mix.with_lane(lane, mix.lane(lane).changed(level_db=level_db))
        self._session.do(SetMix(mix=changed, label=f"Change level of {lane}"), gesture=_named(gesture))

    def set_music_level(self, level_db: float, gesture: str = "") -> None:
        """Has the music that loud in all; without music, its lane."""
        music, lane = self._session.project.music, self._session.project.mix.music
        if music is None:
            self.set_level("music", level_db, gesture)
            return
        own = level_within(level_db - lane.level_db)
        edit = LayMusic(music=music.changed(level_db=own), label="Change level of music")
        self._session.do(edit, gesture=_named(gesture))

    def mute(self, lane: LaneName, muted: bool) -> None:
        mix = self._session.project.mix
        changed = mix.with_lane(lane, mix.lane(lane).changed(muted=muted))
        self._session.do(SetMix(mix=changed, label=f"{'Mute' if muted else 'Hear'} {lane}"))

    def switch(self, lane: LaneName, what: str) -> None:
        """Mutes a lane or has it heard again; listens to it alone or to all again."""
        if what == MUTED:
            self.mute(lane, not self._session.project.mix.lane(lane).muted)
        elif what == ALONE:
            self.listen_to(None if self.alone == lane else lane)

    def lower_music(self, by_db: float, gesture: str = "") -> None:
        """Has the music go down by so much where the takes are loud."""
        mix = self._session.project.mix.changed(lowered_db=by_db)
        self._session.do(SetMix(mix=mix, label="Lower music"), gesture=_named(gesture))

    def change_chosen(self, gesture: str = "", *, level_db: float | None = None, **fades_s: float) -> None:
        """Changes how loud the chosen shots' own sound is, and over how long (`fade_in`, `fade_out`) it comes and goes.

        All of them are one step.
        """
        rate = float(self._session.project.reel.rate)
        changed: dict[str, float] = {name: round(over * rate) for name, over in fades_s.items()}
        if level_db is not None:
            changed["level_db"] = level_db
        sounds = tuple((each.id, each.sound.changed(**changed)) for each in self._session.chosen)
        self._session.do(SetShotSounds(sounds=sounds), gesture=_named(gesture))

    def change_music(self, gesture: str = "", **changed: float) -> None:
        music = self._session.project.music
        if music is not None:
            self._session.do(LayMusic(music=music.changed(**changed), label="Fade music"), gesture=_named(gesture))


def _named(gesture: str) -> str | None:
    return f"sound {gesture}" if gesture else None
