"""What the reel sounds like: pitch that is kept, places along ramps, music under it, and reading without seams."""

import shutil
from dataclasses import replace

import numpy as np
import pytest

from clevrin.core.document import Join, Marker, Music, Pace, PacePoint, Project, Reel, Shot, Span
from clevrin.core.document.edits import AddMarker
from clevrin.core.document.files import load, save
from clevrin.core.document.packing import pack
from clevrin.core.errors import ClevrinError, MediaError
from clevrin.core.media.sound_reading import SoundReader, read_sound
from clevrin.core.media.taking_in import take_in
from clevrin.core.pace import placed_shots
from clevrin.core.progress import Silent
from clevrin.core.render.export.export import ExportRequest, export_reel
from clevrin.core.render.measured.measurement_store import still_trace
from clevrin.core.render.sources import Sources
from clevrin.core.sound.mix import ReelSound, has_sound
from clevrin.core.sound.music_track import (
    beat_markers,
    even_beats,
    moved,
    on_the_beat,
    outline,
    take_in_music,
    tempo_of,
)
from tests.core.test_beats import written
from tests.films import clicks, numbered_film

RATE = 48_000
RAMP = (PacePoint(frame=20, speed=1.0), PacePoint(frame=60, speed=0.5), PacePoint(frame=100, speed=2.0))


def reel_of(path, **pace) -> Project:
    take = take_in(path)
    shot = Shot(take_id=take.id, span=take.whole, pace=Pace(**pace))
    return Project(takes=(take,), reel=Reel(shots=(shot,), width=192, height=108))


def turns(sound: np.ndarray) -> float:
    """How high a tone is, in Hz."""
    return np.count_nonzero(np.diff(np.signbit(sound))) / 2 / (len(sound) / RATE)


@pytest.fixture(scope="module")
def toned(tmp_path_factory):
    return numbered_film(tmp_path_factory.mktemp("sound") / "tone.mp4", frames=120, sound=True)


@pytest.mark.parametrize(("speed", "along"), [(0.5, 220), (2.0, 880), (0.25, 110)])
def test_a_kept_pitch_is_that_of_the_recording(toned, speed, along):
    points = (PacePoint(frame=60, speed=speed),)
    middle = slice(RATE // 4, RATE)
    kept = ReelSound(reel_of(toned, points=points, pitch="kept")).read(0, 2 * RATE)[middle, 0]
    goes = ReelSound(reel_of(toned, points=points)).read(0, 2 * RATE)[middle, 0]
    assert turns(kept) == pytest.approx(440, rel=0.01) and turns(goes) == pytest.approx(along, rel=0.02)
    assert np.sqrt((kept**2).mean()) == pytest.approx(0.4 / np.sqrt(2), rel=0.03)  # no hole and no beating


def test_at_the_speed_of_the_recording_a_kept_pitch_changes_nothing(toned):
    plain = ReelSound(reel_of(toned)).read(0, 3 * RATE)
    kept = ReelSound(reel_of(toned, points=(PacePoint(frame=60, speed=1.0),), pitch="kept")).read(0, 3 * RATE)
    assert np.abs(plain[480:] - kept[480:]).max() < 1e-6


@pytest.mark.parametrize("reverse", [False, True])
@pytest.mark.parametrize("pitch", ["along", "kept"])
def test_what_is_heard_stays_with_its_picture_along_ramps(tmp_path, pitch, reverse):
    at_s = [0.9, 1.7, 2.4, 3.1, 3.8]
    project = reel_of(numbered_film(tmp_path / "clicks.mp4", frames=120, sound=clicks(at_s, 4.0)))
    shot = project.reel.shots[0].changed(pace=Pace(points=RAMP, pitch=pitch)).played(reverse=reverse)
    project = project.changed(reel=project.reel.changed(shots=(shot,)))
    placed = placed_shots(project)[0]
    reel = ReelSound(project)
    sound = np.abs(reel.read(0, reel.samples)).max(axis=1)
    gone = placed.time.seen(np.arange(reel.samples) / RATE * 30 - 0.5).progress  # frames, from the shot's start
    frames = 120 - gone if reverse else gone
    for at in at_s:
        due = int(np.argmin(np.abs(frames / 30 - at)))
        near = sound[max(0, due - 1200) : due + 1200]
        late = abs(int(np.argmax(near)) - min(due, 1200)) / RATE
        assert late < (0.005 if pitch == "kept" else 0.001) and near.max() > (0.08 if pitch == "kept" else 0.15)


def test_the_sound_is_the_same_in_whatever_pieces_it_is_read(toned):
    for pace in ({"points": RAMP, "pitch": "kept"}, {"points": RAMP}, {}):
        project = reel_of(toned, **pace).changed(music=take_in_music(toned).changed(start_s=0.3, level_db=-12))
        count = ReelSound(project).samples
        whole = ReelSound(project).read(0, count)
        chance, reel, pieces, at = np.random.default_rng(3), ReelSound(project), [], 0
        while at < count:
            pieces.append(reel.read(at, int(chance.integers(1, 20_000))))
            at += len(pieces[-1])
        pieced = np.concatenate(pieces)[:count]
        assert np.abs(pieced - whole).max() < 1e-5


def test_an_open_film_is_read_on_as_if_it_were_read_at_once(toned):
    reader = SoundReader()
    whole = read_sound(toned, 0.5, RATE)
    pieces = [reader.read(toned, 0.5 + k * 0.05, RATE // 20) for k in range(20)]
    assert np.array_equal(np.concatenate(pieces), whole)
    again = [reader.read(toned, 0.5 + k * 0.05, RATE // 20) for k in reversed(range(20))]  # it goes back, too
    assert np.array_equal(np.concatenate(again[::-1]), whole)
    reader.close()


def test_music_lies_where_it_is_laid_and_as_loud(toned, tmp_path):
    written(tmp_path / "tune.wav", clicks([0.5, 1.5, 2.5], 3.0))
    music = take_in_music(tmp_path / "tune.wav")
    assert music.name == "tune" and music.seconds == pytest.approx(3.0, abs=0.01)
    for start_s, heard_at in ((0.0, (0.5, 1.5, 2.5)), (1.0, (1.5, 2.5, 3.5)), (-1.0, (0.5, 1.5)), (3.2, (3.7,))):
        silent = reel_of(toned, pitch="silent").changed(music=music.changed(start_s=start_s, level_db=-20))
        assert has_sound(silent)
        sound = ReelSound(silent).read(0, 4 * RATE)[:, 0]
        loudest = [sound[max(0, k - 99) : k + 99].max() for k in range(len(sound))]
        found = [k / RATE for k in range(len(sound)) if sound[k] > 0.05 and sound[k] == loudest[k]]
        assert found == pytest.approx(heard_at, abs=0.001)
        assert sound.max() == pytest.approx(0.08, rel=0.05)
        assert not ReelSound(silent).read(4 * RATE, 1000).any()  # it ends with the reel


def test_music_is_rendered_saved_packed_and_missed(toned, tmp_path):
    written(tmp_path / "tune.wav", clicks([0.5], 3.0))
    project = reel_of(toned, pitch="silent").changed(music=take_in_music(tmp_path / "tune.wav").changed(level_db=0))
    with Sources.of() as sources:
        export_reel(ExportRequest(project=project, path=tmp_path / "out.mp4"), sources, Silent())
        sound = read_sound(tmp_path / "out.mp4", 0, 4 * RATE)[:, 0]
        assert abs(int(np.argmax(np.abs(sound))) - RATE // 2) < 100
        save(project, tmp_path / "p.clevrin")
        assert '"path": "tune.wav"' in (tmp_path / "p.clevrin").read_text()
        assert load(tmp_path / "p.clevrin").music == project.music
        packed = load(pack(project, tmp_path / "packed", Silent()))
        assert packed.music is not None and packed.music.path == str(tmp_path / "packed" / "media" / "tune.wav")
        with pytest.raises(ClevrinError, match="is what"):
            export_reel(ExportRequest(project=project, path=tmp_path / "tune.wav"), sources, Silent())
        (tmp_path / "tune.wav").unlink()
        with pytest.raises(MediaError, match=r"tune\.wav"):
            export_reel(ExportRequest(project=project, path=tmp_path / "other.mp4"), sources, Silent())
    assert not (tmp_path / "other.mp4").exists()


def test_a_project_without_music_is_written_as_before(toned, tmp_path):
    save(reel_of(toned), tmp_path / "p.clevrin")
    assert "music" not in (tmp_path / "p.clevrin").read_text()


def test_beats_go_along_with_the_music(toned):
    project = reel_of(toned).changed(music=take_in_music(toned))
    for frame in (5, 20, 35):
        project = AddMarker(marker=Marker(frame=frame, kind="beat")).apply(project)
    project = AddMarker(marker=Marker(frame=7)).apply(project)
    there = moved(project, -10).apply(project)
    assert [(m.frame, m.kind) for m in there.reel.markers] == [(7, "marker"), (10, "beat"), (25, "beat")]
    assert there.music is not None and there.music.start_s == pytest.approx(-1 / 3)


def test_even_beats_and_the_tempo_of_those_there_are(toned):
    project = reel_of(toned)
    beats = even_beats(120, 0.25, 4.0)
    assert beats == pytest.approx(np.arange(0.25, 4, 0.5))
    marked = project.changed(reel=project.reel.changed(markers=beat_markers(beats, project)))
    tempo = tempo_of(marked)
    assert tempo is not None and tempo == pytest.approx((120, 0.25), rel=0.07)
    assert tempo_of(project) is None
    with pytest.raises(ClevrinError, match="A tempo goes from"):
        even_beats(2000, 0, 4)


def test_cuts_fall_on_the_beats_of_music(toned):
    take = take_in(toned)
    shots = tuple(Shot(take_id=take.id, span=Span(first=k, end=k + 37)) for k in (0, 30, 60))
    project = Project(takes=(take,), reel=Reel(shots=shots))
    landed, on = on_the_beat(project, even_beats(120, 0.0, 10.0))
    assert on == 2 and [placed.end % 15 for placed in placed_shots(landed)[:-1]] == [0, 0]
    assert on_the_beat(project, ()) == (project, 0)


def test_the_outline_follows_how_loud_it_is(tmp_path):
    written(tmp_path / "tune.wav", clicks([1.0, 40.0], 65.0))
    found = outline(tmp_path / "tune.wav", 65.0, Silent())
    assert len(found) == 65 * 50 and set(np.flatnonzero(found > 0.4)) <= {49, 50, 1999, 2000}
    assert found[[50, 2000]].min() > 0.4


@pytest.mark.parametrize("name", ["silent picture", "text", "gone"])
def test_what_is_no_music_gets_a_sentence(tmp_path, toned, name):
    path = tmp_path / "tune.wav"
    if name == "text":
        path.write_text("la la la")
    elif name == "silent picture":
        shutil.copy(numbered_film(tmp_path / "film.mp4", frames=5), path)
    with pytest.raises(MediaError, match=r"tune\.wav"):
        take_in_music(path)
    with pytest.raises(ValueError, match="less than or equal"):
        Music(name="x", path="x", fingerprint="x", seconds=1e6)


def two_tones(folder, pitch: str = "along", **settings) -> Project:
    """A second of a deep tone, and one of a high one, of takes that go on beyond the cut on either side."""
    takes, t = [], np.arange(3 * RATE) / RATE
    for hz in (300, 2000):
        film = numbered_film(folder / f"{hz}.mp4", frames=90, sound=0.4 * np.sin(2 * np.pi * hz * t))
        takes.append(take_in(film))
    shots = (
        Shot(take_id=takes[0].id, span=Span(first=30, end=60), leave=Join(settings=settings), pace=Pace(pitch=pitch)),
        Shot(take_id=takes[1].id, span=Span(first=30, end=60), pace=Pace(pitch=pitch)),
    )
    return Project(takes=tuple(takes), reel=Reel(shots=shots, width=192, height=108))


def powers(sound: np.ndarray) -> tuple[float, float]:
    """How strong the deep and the high tone are, against their own strength in a shot."""
    spectrum = np.abs(np.fft.rfft(sound * np.hanning(len(sound)))) * 4 / len(sound) / 0.4
    at = [round(hz * len(sound) / RATE) for hz in (300, 2000)]
    return float(spectrum[at[0]] ** 2), float(spectrum[at[1]] ** 2)


@pytest.mark.parametrize("pitch", ["along", "kept"])
def test_sounds_cross_over_as_loud_together_as_either_alone(tmp_path, pitch):
    reel = ReelSound(two_tones(tmp_path, pitch, sound_length=20.0))
    for share, at in ((0.5, 0), (0.25, -7200), (0.75, 7200)):
        deep, high = powers(reel.read(RATE + at - 1200, 2400)[:, 0])
        assert deep + high == pytest.approx(1, abs=0.08)
        assert high == pytest.approx(np.sin(share * np.pi / 2) ** 2, abs=0.08)
    assert powers(reel.read(RATE // 2 - 1200, 2400)[:, 0])[1] < 0.01  # outside of it nothing is changed


def test_sound_passes_over_later_or_earlier_than_the_picture(tmp_path):
    later = ReelSound(two_tones(tmp_path, sound_later=6.0))
    deep, high = powers(later.read(RATE + 4800, 2400)[:, 0])
    assert deep > 0.9 and high < 0.02  # three frames behind the cut the first take is heard still
    earlier = ReelSound(two_tones(tmp_path, sound_later=-6.0))
    assert powers(earlier.read(RATE - 4800, 2400)[:, 0])[1] > 0.9
    whole = np.concatenate([later.read(at, 7000) for at in range(0, 2 * RATE, 7000)])[: 2 * RATE]
    assert np.abs(whole - ReelSound(two_tones(tmp_path, sound_later=6.0)).read(0, 2 * RATE)).max() < 1e-5
    assert np.abs(np.diff(whole[:, 0])).max() < 0.4 * 2 * np.pi * 2000 / RATE * 1.3  # no click


@pytest.mark.parametrize("pitch", ["along", "kept"])
def test_what_lies_beyond_a_paced_shot_alone_can_be_read(tmp_path, pitch):
    """A block that begins where the picture of a shot with speeds has ended, and its sound crosses still."""
    project = two_tones(tmp_path, pitch, sound_length=20.0)
    first = project.reel.shots[0]
    paced = first.changed(pace=Pace(points=(PacePoint(frame=40, speed=0.5),), pitch=pitch))
    project = project.changed(reel=project.reel.changed(shots=(paced, project.reel.shots[1])))
    cut = placed_shots(project)[0].end * RATE // 30
    whole = ReelSound(project).read(cut - RATE // 2, RATE)
    piece = ReelSound(project).read(cut + 4_000, 3_000)
    assert np.abs(piece - whole[RATE // 2 + 4_000 : RATE // 2 + 7_000]).max() < 1e-5 and piece.any()


def panned(take, step: float):
    """The trace of a take whose picture goes sideways by so many pixels a frame."""
    motions = np.tile(np.eye(3), (take.facts.frames, 1, 1))
    motions[1:, 0, 2] = step
    return replace(still_trace(take), motions=motions, confidence=np.ones(take.facts.frames))


def test_a_swish_is_heard_as_fast_as_the_move_and_comes_from_where_it_goes(tmp_path):
    project = two_tones(tmp_path, "silent", swish=0.8, direction=180.0, length=12.0)
    first = project.reel.shots[0]
    shots = (first.changed(leave=first.leave.changed(kind="thrown whip")), project.reel.shots[1])
    project = project.changed(reel=project.reel.changed(shots=shots))
    assert has_sound(project)
    sound = ReelSound(project).read(0, 2 * RATE)
    loud = np.sqrt((sound.reshape(-1, 1600, 2) ** 2).mean(axis=1))  # of each frame
    assert not loud[:24].any() and not loud[36:].any() and 28 <= int(np.argmax(loud.sum(axis=1))) <= 31
    assert loud[26, 0] > 2 * loud[26, 1] and loud[33, 1] > 2 * loud[33, 0]  # the camera goes to the left
    assert np.array_equal(ReelSound(project).read(RATE - 3000, 6000), sound[RATE - 3000 : RATE + 3000])
    own = first.leave.changed(kind="thrown whip").having(direction="auto")
    by_itself = project.changed(reel=project.reel.changed(shots=(first.changed(leave=own), shots[1])))
    for way, side in ((-4.0, 0), (4.0, 1)):  # the picture goes one way, the camera the other
        trace = panned(by_itself.takes[0], way)
        heard = ReelSound(by_itself, course_of=lambda _, trace=trace: trace).read(0, 2 * RATE)
        early = np.sqrt((heard.reshape(-1, 1600, 2)[26] ** 2).mean(axis=0))
        assert early[1 - side] > 2 * early[side]
    quiet = project.changed(reel=project.reel.changed(shots=(first, shots[1])))
    assert np.abs(ReelSound(quiet).read(0, 2 * RATE)).max() > 0  # a cut has one as well, if it is wanted
    plain = quiet.changed(reel=quiet.reel.changed(shots=(first.changed(leave=Join()), shots[1])))
    assert not has_sound(plain)
