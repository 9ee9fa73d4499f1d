"""What a user does with the music under the reel: every change as an edit, or a sentence why there is none."""

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

from clevrin.core.document import Marker, Music, Project
from clevrin.core.document.edits import LayMusic, SetBeats
from clevrin.core.errors import ClevrinError
from clevrin.core.pace import reel_frames
from clevrin.core.sound.beats import Beats, find_beats
from clevrin.core.sound.music_track import beat_markers, even_beats, moved, take_in_music, tempo_of
from clevrin.desk.background.jobs import Job
from clevrin.desk.bench.context import Context
from clevrin.desk.widgets.file_dialogs import SOUNDS, FileDialogs

_USUAL_BPM = 120.0


@dataclass(frozen=True, kw_only=True)
class _Heard:
    """Music that was taken in, and what was found in it; a sentence where that is no beats."""

    music: Music
    beats: Beats | None
    why_none: str = ""


class MusicEdits:
    """Asks for music, lays it under the reel, and puts its beats right."""

    def __init__(self, context: Context, files: FileDialogs) -> None:
        self._context, self._files = context, files
        self._session, self._notices = context.session, context.notices
        self._tempo_bpm: float | None = None
        self._first_s: float | None = None
        self.noted: Callable[[], None] = lambda: None
        """Called when a tempo or a beat was noted that has not been set yet."""
        self._session.opened.connect(self._forget)

    # Laying

    def ask_for_music(self) -> None:
        self._files.ask_for_one("Lay music under the reel", self.lay, SOUNDS)

    def lay(self, path: Path) -> None:
        """Lays a sound under the reel from its start, and marks its beats where there are none on the reel."""

        def work(progress: object) -> _Heard:
            music = take_in_music(path)
            try:
                return _Heard(music=music, beats=find_beats(path, progress))  # type: ignore[arg-type]
            except ClevrinError as error:  # it can be laid all the same
                return _Heard(music=music, beats=None, why_none=str(error))

        def done(heard: _Heard) -> None:
            project = self._session.project
            before = project.music
            music = heard.music if before is None else heard.music.changed(level_db=before.level_db)
            if before is not None and before.fingerprint == music.fingerprint:  # it was found again
                music = music.changed(start_s=before.start_s)
            beats = None
            if heard.beats is not None and not any(marker.kind == "beat" for marker in project.reel.markers):
                beats = beat_markers(heard.beats.beats_s, project)
            self._session.do(LayMusic(music=music, beats=beats))
            self._notices.tell(f"{music.name} lies under the reel: {_beats_words(heard.beats)}", None)
            if heard.why_none:
                self._notices.trouble(heard.why_none)

        self._start(("music", str(path)), f"Listening to {path.name}", work, done)

    def remove(self) -> None:
        """Takes the music away; beats stay."""
        if self._session.project.music is not None:
            self._session.do(LayMusic(music=None, label="Take music away"))

    def set_level(self, level_db: float, gesture: str = "") -> None:
        self._change(lambda music: LayMusic(music=music.changed(level_db=level_db), label="Change level"), gesture)

    def begin_at(self, start_s: float, gesture: str = "") -> None:
        """Has the music begin at an instant of the reel; beats go along."""
        project = self._session.project
        if project.music is not None:
            frames = round((start_s - project.music.start_s) * project.reel.rate)
            if frames:
                self._change(lambda _: moved(project, frames), gesture)

    # Beats

    def find_its_beats(self) -> None:
        """Marks the beats of the music, in the place of those on the reel."""
        music = self._session.project.music
        if music is not None:
            self.mark_beats(Path(music.path), music)

    def ask_for_beats(self) -> None:
        self._files.ask_for_one("Find the beats of a sound", self.mark_beats, SOUNDS)

    def mark_beats(self, path: Path, music: Music | None = None) -> None:
        """Marks the beats of a sound: of the music where it lies, of another one as if it began with the reel."""

        def done(found: Beats) -> None:
            project = self._session.project
            lies = project.music if music is not None and project.music is not None else None
            beats = beat_markers(found.beats_s, project, lies.start_s if lies is not None else 0.0)
            if not beats:
                self._notices.trouble(f"{path.name} has no beat that could be followed within this reel.")
                return
            self._session.do(SetBeats(beats=beats))
            self._notices.tell(f"{len(beats)} beats of {path.name}, {found.tempo_bpm:.0f} a minute", None)

        self._start(
            ("beats", str(path)), f"Listening to {path.name}", lambda progress: find_beats(path, progress), done
        )

    def note_tempo(self, tempo_bpm: float) -> None:
        """Notes the tempo that even beats get."""
        self._tempo_bpm = tempo_bpm
        self.noted()

    def note_first(self, first_s: float) -> None:
        """Notes an instant of the reel at which an even beat falls."""
        self._first_s = first_s
        self.noted()

    @property
    def tempo(self) -> tuple[float, float]:
        """Tempo and first beat of even beats: as they were noted, else as the beats on the reel have them."""
        found = tempo_of(self._session.project) or (_USUAL_BPM, 0.0)
        return (
            found[0] if self._tempo_bpm is None else self._tempo_bpm,
            found[1] if self._first_s is None else self._first_s,
        )

    def set_even_beats(self) -> None:
        """Sets even beats over the whole reel, of the tempo that is noted."""
        project = self._session.project
        if not project.reel.shots:
            self._notices.trouble("Beats are set on a reel: put a shot on it first.")
            return
        tempo_bpm, first_s = self.tempo
        beats = beat_markers(even_beats(tempo_bpm, first_s, _reel_s(project)), project)
        self._session.do(SetBeats(beats=beats, label="Set even beats"))
        self._forget()

    def clear_beats(self) -> None:
        self._session.do(SetBeats(beats=(), label="Remove beats"))
        self._forget()

    # How

    def _forget(self) -> None:
        self._tempo_bpm = self._first_s = None
        self.noted()

    def _change(self, make: Callable[[Music], LayMusic], gesture: str) -> None:
        music = self._session.project.music
        if music is not None:
            self._session.do(make(music), gesture=f"music-{gesture}" if gesture else None)

    def _start(self, key: tuple, what: str, work: Callable, done: Callable) -> None:
        self._notices.all_well()
        self._context.jobs.start(Job(key=key, what=what, work=work, done=done, failed=self._notices.trouble))


def beats_of(markers: tuple[Marker, ...]) -> int:
    return sum(marker.kind == "beat" for marker in markers)


def _beats_words(beats: Beats | None) -> str:
    if beats is None or not beats.beats_s:
        return "no beat was found in it"
    return f"{len(beats.beats_s)} beats, {beats.tempo_bpm:.0f} a minute"


def _reel_s(project: Project) -> float:
    return float(reel_frames(project) / project.reel.rate)
