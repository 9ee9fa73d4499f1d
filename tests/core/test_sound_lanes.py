"""The three lanes of the reel's sound: levels, mutes, fades, and music that makes room for what the takes say."""

import numpy as np
import pytest

from clevrin.core.document import Join, Lane, Mix, Music, Project, Reel, Shot, ShotSound, Span
from clevrin.core.document.edits import SetMix, SetShotSounds, SplitShot
from clevrin.core.document.files import load, save
from clevrin.core.media.taking_in import take_in
from clevrin.core.progress import Silent
from clevrin.core.render.reports.quality_checks import look_over
from clevrin.core.render.sources import Sources
from clevrin.core.shelf import Shelf
from clevrin.core.sound.loudness import loudness_course, loudness_of
from clevrin.core.sound.mix import ReelSound, has_sound
from clevrin.core.sound.music_track import take_in_music
from tests.core.test_beats import written
from tests.films import numbered_film

RATE = 48_000
LONG = 4 * RATE


@pytest.fixture(scope="module")
def project(tmp_path_factory) -> Project:
    """A tone of 440 Hz for two seconds, a silent shot for two, and under both music of 1,320 Hz."""
    room = tmp_path_factory.mktemp("lanes")
    toned = take_in(numbered_film(room / "tone.mp4", frames=120, sound=True))
    silent = take_in(numbered_film(room / "silent.mp4", frames=120))
    t = np.arange(6 * RATE) / RATE
    written(room / "tune.wav", 0.3 * np.sin(2 * np.pi * 1320 * t))
    tune = take_in_music(room / "tune.wav")
    shots = tuple(Shot(take_id=take.id, span=Span(first=0, end=60)) for take in (toned, silent))
    return Project(takes=(toned, silent), reel=Reel(shots=shots, width=192, height=108), music=tune.changed(level_db=0))


def powers(sound: np.ndarray) -> tuple[float, float]:
    """How large the tone of the take and that of the music are."""
    spectrum = np.abs(np.fft.rfft(sound * np.hanning(len(sound)))) * 4 / len(sound)
    take, music = (float(spectrum[round(hz * len(sound) / RATE)]) for hz in (440, 1320))
    return take, music


def heard(project: Project, at_s: float, seconds: float = 0.1) -> tuple[float, float]:
    return powers(ReelSound(project).read(round(at_s * RATE), round(seconds * RATE))[:, 0])


def with_mix(project: Project, **lanes) -> Project:
    return SetMix(mix=project.mix.changed(**lanes)).apply(project)


def of_first(project: Project, **sound) -> Project:
    shot = project.reel.shots[0]
    return SetShotSounds(sounds=((shot.id, ShotSound(**sound)),)).apply(project)


def test_each_lane_is_as_loud_as_it_is_set_and_silent_where_it_is_muted(project):
    take, music = heard(project, 1)
    assert take > 0.1 and music == pytest.approx(0.3, rel=0.02)
    softer = with_mix(project, takes=Lane(level_db=-6.0), music=Lane(level_db=-12.0))
    assert heard(softer, 1) == pytest.approx((take * 10**-0.3, music * 10**-0.6), rel=0.02)
    assert heard(with_mix(project, takes=Lane(muted=True)), 1)[0] < 1e-3
    assert heard(with_mix(project, music=Lane(level_db=-60.0)), 1)[1] < 1e-3
    alone = SetMix(mix=project.mix.alone("music")).apply(project)
    assert heard(alone, 1)[0] < 1e-3 and heard(alone, 1)[1] == pytest.approx(music, rel=0.02)


def test_a_reel_whose_lanes_are_all_muted_has_no_sound(project):
    muted = with_mix(project, takes=Lane(muted=True), music=Lane(muted=True))
    assert has_sound(project) and not has_sound(muted)
    assert not ReelSound(muted).read(0, LONG).any()
    swishing = muted.changed(
        reel=muted.reel.changed(
            shots=(muted.reel.shots[0].changed(leave=Join(settings={"swish": 1.0})), muted.reel.shots[1])
        )
    )
    assert has_sound(swishing) and ReelSound(swishing).read(LONG // 2 - 4000, 8000).any()
    assert not has_sound(with_mix(swishing, swishes=Lane(muted=True)))


def test_lanes_as_they_are_at_first_change_nothing(project):
    """Do no harm: not one bit."""
    alone = project.changed(music=None)
    plain = ReelSound(alone).read(0, LONG)
    set_so = with_mix(of_first(alone, level_db=0.0), takes=Lane(level_db=0.0), lowered_db=12.0)
    assert np.array_equal(ReelSound(set_so).read(0, LONG), plain)


def test_a_shot_comes_and_goes_over_its_fades(project):
    faded = of_first(with_mix(project, music=Lane(muted=True)), fade_in=30, fade_out=15, level_db=-6.0)
    full = heard(with_mix(project, music=Lane(muted=True)), 1)[0] * 10**-0.3
    assert heard(faded, 0.45)[0] == pytest.approx(full / 2, rel=0.05)  # half way through a second
    assert heard(faded, 1.2)[0] == pytest.approx(full, rel=0.02)
    assert heard(faded, 1.7)[0] == pytest.approx(full / 2, rel=0.06)
    assert heard(faded, 0.0, 0.02)[0] < 0.01 and heard(faded, 1.98, 0.02)[0] < 0.01


def test_music_comes_and_goes_over_its_fades_from_where_it_is_first_heard(project):
    music = project.music.changed(start_s=-1.0, fade_in_s=1.0, fade_out_s=2.0)  # ends with the reel
    faded = project.changed(music=music)
    assert heard(faded, 0.45)[1] == pytest.approx(0.15, rel=0.06)
    assert heard(faded, 1.5)[1] == pytest.approx(0.3, rel=0.02)
    assert heard(faded, 2.95)[1] == pytest.approx(0.15, rel=0.06)
    assert heard(faded, 3.98, 0.02)[1] < 0.01


def test_music_makes_room_before_the_takes_are_loud_and_comes_back_after(project):
    turned_about = project.changed(reel=project.reel.changed(shots=project.reel.shots[::-1]))
    lowered = with_mix(turned_about, lowered_db=12.0)  # two seconds of silence, then the tone
    assert heard(lowered, 1.0)[1] == pytest.approx(0.3, rel=0.01)
    assert heard(lowered, 1.9)[1] < 0.2  # before it
    assert heard(lowered, 3.0)[1] == pytest.approx(0.3 * 10**-0.6, rel=0.02)
    back = with_mix(project, lowered_db=12.0)  # the tone, then silence
    assert heard(back, 2.2)[1] == pytest.approx(0.3 * 10**-0.6, rel=0.05)  # it waits a moment
    assert heard(back, 3.5)[1] == pytest.approx(0.3, rel=0.01)
    untold = with_mix(back, takes=Lane(muted=True))  # what is not heard lowers nothing
    assert heard(untold, 1.0)[1] == pytest.approx(0.3, rel=0.01)


def test_whatever_the_pieces_lanes_sound_the_same_bit_for_bit(project):
    full = of_first(with_mix(project, lowered_db=9.0, music=Lane(level_db=-3.0)), fade_in=12, level_db=-2.0)
    whole = ReelSound(full).read(0, LONG)
    chance, reel, pieces, at = np.random.default_rng(5), ReelSound(full), [], 0
    while at < LONG:
        count = min(int(chance.integers(1, 60_000)), LONG - at)
        pieces.append(reel.read(at, count))
        at += count
    assert np.array_equal(np.concatenate(pieces), whole)
    later = ReelSound(full)  # from a place in the middle, and then before it
    assert np.abs(later.read(3 * RATE, 5000) - whole[3 * RATE : 3 * RATE + 5000]).max() < 1e-5
    assert np.abs(later.read(RATE, 5000) - whole[RATE : RATE + 5000]).max() < 1e-5


def test_a_shot_that_is_split_fades_at_its_outer_ends(project):
    faded = of_first(project, fade_in=10, fade_out=20, level_db=-3.0)
    split = SplitShot(shot_id=faded.reel.shots[0].id, at=30, new_id="second").apply(faded)
    first, second = split.reel.shots[:2]
    assert (first.sound.fade_in, first.sound.fade_out, first.sound.level_db) == (10, 0, -3.0)
    assert (second.sound.fade_in, second.sound.fade_out, second.sound.level_db) == (0, 20, -3.0)


def test_lanes_are_saved_and_projects_without_are_written_as_before(project, tmp_path):
    full = of_first(with_mix(project, lowered_db=9.0, takes=Lane(muted=True)), fade_in=12)
    save(full, tmp_path / "p.clevrin")
    assert load(tmp_path / "p.clevrin") == full
    save(project, tmp_path / "plain.clevrin")
    assert "mix" not in (tmp_path / "plain.clevrin").read_text()
    with pytest.raises(ValueError):
        Mix(lowered_db=99)
    with pytest.raises(ValueError):
        Music.model_validate({**project.music.model_dump(), "fade_in_s": -1})


def test_how_loud_it_is_as_it_goes_on(project):
    loud = np.zeros((4 * RATE, 2), np.float32)
    t = np.arange(RATE) / RATE
    loud[2 * RATE : 3 * RATE] = (0.5 * np.sin(2 * np.pi * 1000 * t))[:, None]
    found = loudness_course(loud[at : at + 7001] for at in range(0, len(loud), 7001))
    assert len(found.peak_db) == len(found.momentary_lufs) == len(found.short_lufs) == 40
    assert found.peak_db[25] == pytest.approx(-6.02, abs=0.1) and found.peak_db[15] <= -70
    # Both sides at -6 dB: 3 dB over one of them, and 1 kHz counts as it is (BS.1770).
    assert found.momentary_lufs[28] == pytest.approx(-6.0, abs=0.1) and found.momentary_lufs[10] <= -70
    assert found.short_lufs[29] == pytest.approx(-6 - 4.77, abs=0.1)  # a third of its three seconds
    whole = loudness_of(loud[at : at + 7001] for at in range(0, len(loud), 7001))
    assert found.whole == whole and found.peak_db.max() == pytest.approx(whole.peak_db, abs=0.1)
    assert found.at(2.55)[2] == found.peak_db[25] and found.at(9.0) == (-70, -70, -70)


def test_what_is_too_loud_or_not_heard_is_marked(project, tmp_path):
    loud = of_first(with_mix(project, takes=Lane(level_db=12.0), music=Lane(muted=True)), level_db=12.0)
    with Sources.of(Shelf(tmp_path / "shelf")) as sources:
        marks = [each for each in look_over(loud, sources, Silent()).marks if each.what == "sound"]
        calm = look_over(with_mix(project, takes=Lane(level_db=-6.0)), sources, Silent())
    assert any(each.sentence == "The lane of music is not heard" for each in marks)
    (over,) = (each for each in marks if "goes up to" in each.sentence)
    assert 0 <= over.frame < 60
    assert not any(each.what == "sound" for each in calm.marks)
    assert calm.heard is not None and calm.heard.whole.lufs is not None
