"""The music under a reel: taken in, moved along it, its beats as markers, and its outline for drawing."""

from collections.abc import Iterable
from contextlib import closing
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from clevrin.core.document import Marker, Music, Project
from clevrin.core.document.edits import LayMusic, PaceShots, SetBeats
from clevrin.core.document.music import LONGEST_S
from clevrin.core.errors import ClevrinError, MediaError
from clevrin.core.media.probe import fingerprint
from clevrin.core.media.sound_reading import SoundReader, sound_seconds
from clevrin.core.media.writing import SOUND_RATE
from clevrin.core.pace import placed_shots, reel_frames
from clevrin.core.pace.landing import landed
from clevrin.core.paths import is_there
from clevrin.core.progress import Progress, step
from clevrin.core.shelf import Shelf

_OUTLINE_VERSION = "1"
OUTLINE_PER_S = 50
"""Values of an outline a second."""
SLOWEST_BPM, FASTEST_BPM = 30.0, 300.0
_AT_ONCE_S = 30


def take_in_music(path: Path) -> Music:
    """A sound file, or the sound of a film, as music. Raises `MediaError` for one without sound, or hours long."""
    seconds = sound_seconds(path)
    if seconds > LONGEST_S:
        raise MediaError(f"{path.name} is {seconds / 3600:.1f} hours long: music of two hours at most can be laid.")
    if seconds <= 0:
        raise MediaError(f"{path.name} has no sound in it.")
    return Music(name=path.stem, path=str(path.absolute()), fingerprint=fingerprint(path), seconds=seconds)


def beat_markers(beats_s: Iterable[float], project: Project, start_s: float = 0.0) -> tuple[Marker, ...]:
    """Beats of music that begins at an instant of the reel, as markers on it; those beyond its ends are left out."""
    rate, frames = float(project.reel.rate), reel_frames(project)
    at = {round((start_s + second) * rate) for second in beats_s}
    return tuple(Marker(frame=frame, kind="beat") for frame in sorted(at) if 0 <= frame < frames)


def even_beats(tempo_bpm: float, first_s: float, seconds: float) -> tuple[float, ...]:
    """Beats of one tempo in seconds, one of them at `first_s`, over so many seconds.

    Raises `ClevrinError` for a tempo that nobody counts.
    """
    if not SLOWEST_BPM <= tempo_bpm <= FASTEST_BPM:
        raise ClevrinError(f"A tempo goes from {SLOWEST_BPM:.0f} to {FASTEST_BPM:.0f} beats a minute.")
    between = 60 / tempo_bpm
    return tuple(float(at) for at in np.arange(first_s % between, seconds, between))


def tempo_of(project: Project) -> tuple[float, float] | None:
    """The tempo of the beats on a reel, a minute, and the instant of the first one; None where there are too few."""
    frames = np.array([marker.frame for marker in project.reel.markers if marker.kind == "beat"], np.float64)
    if len(frames) < 2:
        return None
    between = np.diff(frames) / float(project.reel.rate)
    # Frames are coarse: over all beats that belong together, the tempo is finer than one of them.
    usual = float(np.median(between))
    even = between[np.abs(between - usual) < 0.25 * usual]
    return 60 / float(even.mean()), float(frames[0] / float(project.reel.rate))


def moved(project: Project, frames: int) -> LayMusic:
    """Moves the music along the reel by some frames, and the beats with it; those before the reel's start go."""
    assert project.music is not None
    beats = [marker for marker in project.reel.markers if marker.kind == "beat"]
    return LayMusic(
        music=project.music.changed(start_s=project.music.start_s + float(frames / project.reel.rate)),
        beats=tuple(m.changed(frame=m.frame + frames) for m in beats if m.frame + frames >= 0),
        label="Move music",
    )


def outline(path: Path, seconds: float, progress: Progress) -> NDArray[np.float32]:
    """(n,) how loud a sound is, 50 times a second: the greatest value on either side, 0 to 1.

    Costs a second for five minutes. Raises `MediaError`, and `CancelledError` when stopped.
    """
    wide = SOUND_RATE // OUTLINE_PER_S
    pieces = []
    count = int(np.ceil(seconds / _AT_ONCE_S))
    with closing(SoundReader()) as reader:
        for number in range(count):
            step(progress, number, count)
            samples = int(min(_AT_ONCE_S, seconds - number * _AT_ONCE_S) * OUTLINE_PER_S) * wide
            piece = np.abs(reader.read(path, number * _AT_ONCE_S, samples)).max(axis=1, initial=0)
            pieces.append(piece.reshape(-1, wide).max(axis=1))
    return np.clip(np.concatenate(pieces), 0, 1).astype(np.float32) if pieces else np.zeros(0, np.float32)


def kept_outline(path: Path, marked: str, seconds: float, shelf: Shelf, progress: Progress) -> NDArray[np.float32]:
    """The same from the shelf, or read and kept there; `marked`: the fingerprint of the file."""
    key = "outline", _OUTLINE_VERSION, marked, repr(seconds)
    kept = shelf.get(*key) if is_there(path) else None  # that it is gone has to be told
    if kept is not None and "loud" in kept:
        return np.asarray(kept["loud"], np.float32)
    found = outline(path, seconds, progress)
    shelf.put({"loud": found}, *key)
    return found


def on_the_beat(project: Project, beats_s: Iterable[float]) -> tuple[Project, int]:
    """A project whose cuts fall on the beats of its music, as far as they can, and how many of them do.

    `beats_s` from the start of the music, which begins with the reel unless it says otherwise. Without beats the
    project is as it was.
    """
    beats_s = tuple(beats_s)
    start_s = project.music.start_s if project.music is not None else 0.0
    beats = beat_markers(beats_s, project, start_s)
    if not beats:
        return project, 0
    marked = SetBeats(beats=beats).apply(project)
    paced = PaceShots(paces=landed(marked)).apply(marked)
    beats = beat_markers(beats_s, paced, start_s)  # it may have become longer
    on = {marker.frame for marker in beats}
    cuts = [placed.end for placed in placed_shots(paced)[:-1]]
    return SetBeats(beats=beats).apply(paced), sum(cut in on for cut in cuts)
