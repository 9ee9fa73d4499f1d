"""Points and surfaces that are followed: how true, how soon a loss is noticed, and what a correction does."""

from collections.abc import Callable
from fractions import Fraction
from pathlib import Path

import cv2
import numpy as np
import pytest

from clevrin.core.document.tracks import Placement, Track
from clevrin.core.errors import CancelledError, ClevrinError
from clevrin.core.media.picture import picture_from_rgb
from clevrin.core.media.taking_in import take_in
from clevrin.core.media.writing import FilmWriter
from clevrin.core.motion.geometry.models import apply
from clevrin.core.motion.tracks.both_ways import Followed
from clevrin.core.motion.tracks.track_csv import read_track, track_csv
from clevrin.core.motion.tracks.tracks import TrackRequest, follow_track, stored_track
from clevrin.core.outputs import write_text
from clevrin.core.progress import Silent
from clevrin.core.shelf import Shelf
from clevrin.demo.cast import CLOTH
from clevrin.demo.footage_maker import FILMED, FOOTAGE
from clevrin.demo.judging import true_places
from tests.core.test_motion import StopAfter
from tests.films import about, shift, texture

SIZE = (480, 270)


def rms(values: np.ndarray) -> float:
    return float(np.sqrt(np.nanmean(values**2)))


def film_of(path: Path, frames: int, subject: Callable[[int], np.ndarray], *, cover=(), seed=5, noise=1.5) -> Path:
    """A textured card (200 x 140 px of its own) that lies in each frame as `subject` says, before a still scene."""
    back, card = texture(seed + 1), texture(seed)[:140, :200]
    rng = np.random.default_rng(seed)
    with FilmWriter(path, rate=Fraction(30), size=SIZE, quality=14, threads=1) as writer:
        for k in range(frames):
            rgb = cv2.warpPerspective(back, shift(-300, -300), SIZE).astype(np.float32)
            mask = cv2.warpPerspective(np.ones(card.shape[:2], np.float32), subject(k), SIZE, flags=cv2.INTER_LINEAR)
            laid = cv2.warpPerspective(card, subject(k), SIZE, flags=cv2.INTER_CUBIC, borderMode=cv2.BORDER_REPLICATE)
            rgb = rgb * (1 - mask[..., None]) + laid * mask[..., None]
            if k in cover:
                rgb[:, 90:400] = texture(seed + 7)[:270, :310]
            rgb += noise * rng.standard_normal(rgb.shape)
            writer.write(picture_from_rgb(rgb.clip(0, 255).astype(np.uint8)))
    return path


def turning(k: float) -> np.ndarray:
    """Wanders, turns by up to 25 degrees and comes nearer."""
    size = 0.9 + 0.008 * k
    return shift(130 + 3.1 * k, 60 + 9 * np.sin(k / 4)) @ about((100, 70), 25 * np.sin(k / 11), size)


def followed(film: Path, track: Track, tmp_path: Path, progress=None) -> Followed:
    request = TrackRequest(path=film, fingerprint=film.stem, track=track)
    return follow_track(request, None, Shelf(tmp_path / "shelf"), progress or Silent())


def point(frame: int, place: np.ndarray, **fields: object) -> Track:
    return Track(name="Knot", kind="point", placed=(Placement(frame=frame, places=(tuple(place),)),), **fields)


@pytest.mark.parametrize("seed", [5, 21])
@pytest.mark.parametrize("start", [0, 20, 39])
def test_a_point_on_a_moving_turning_subject_is_followed_both_ways(tmp_path, start, seed):
    film = film_of(tmp_path / "f.mp4", 40, turning, seed=seed)
    true = np.array([apply(turning(k), np.array([[80.0, 60.0]]))[0] for k in range(40)])
    found = followed(film, point(start, true[start]), tmp_path)
    assert found.known.all() and found.lost == () and found.placed[start]
    assert rms(np.hypot(*(found.places[:, 0] - true).T)) < 0.3  # px; measured 0.1
    assert found.confidence.min() > 0.6


@pytest.mark.parametrize("start", [0, 25])
def test_a_surface_is_followed_by_its_corners(tmp_path, start):
    def tilting(k: float) -> np.ndarray:
        return turning(k) @ np.array([[1, 0, 0], [0, 1, 0], [4e-4 * np.sin(k / 9), 3e-4 * np.cos(k / 7), 1]])

    film = film_of(tmp_path / "f.mp4", 40, tilting)
    corners = np.array([[20.0, 15], [180, 15], [180, 125], [20, 125]])
    true = np.array([apply(tilting(k), corners) for k in range(40)])
    track = Track(name="Card", kind="surface", placed=(Placement(frame=start, places=tuple(map(tuple, true[start]))),))
    found = followed(film, track, tmp_path)
    assert found.known.all()
    assert rms(np.hypot(*(found.places - true).transpose(2, 0, 1))) < 0.5


def test_points_on_the_cloth_of_the_parade_are_true(measured_demo, tmp_path):
    scene, film = FILMED["parade"], FOOTAGE / "parade.mp4"
    true = true_places(scene, CLOTH, np.array([[325.0, 210.0], [195.0, 168.0]]))
    for k in range(2):
        found = followed(film, point(30, true[30, k]), tmp_path)
        assert found.known.mean() > 0.95
        assert rms(np.hypot(*(found.places[:, 0] - true[:, k]).T)) < 0.5  # measured 0.1 to 0.2


def test_a_fast_subject_is_found_by_a_search_that_grows(tmp_path):
    def dashing(k: float) -> np.ndarray:
        return shift(40 + 200 * (0.5 + 0.5 * np.tanh((k - 12) / 3)), 60)  # up to 33 px a frame

    film = film_of(tmp_path / "f.mp4", 24, dashing)
    true = np.array([apply(dashing(k), np.array([[90.0, 70.0]]))[0] for k in range(24)])
    found = followed(film, point(0, true[0]), tmp_path)
    assert found.known.all() and rms(np.hypot(*(found.places[:, 0] - true).T)) < 0.3


@pytest.mark.parametrize("gone", [10, 17])
def test_a_loss_is_noticed_at_once_and_a_correction_goes_on(tmp_path, gone):
    film = film_of(tmp_path / "f.mp4", 34, turning, cover=range(gone, gone + 6))
    true = np.array([apply(turning(k), np.array([[80.0, 60.0]]))[0] for k in range(34)])
    track = point(0, true[0])
    first = followed(film, track, tmp_path)
    assert first.lost and gone <= first.lost[0] <= gone + 2
    assert not first.known[first.lost[0] :].any() and first.confidence[first.lost[0]] == 0
    there = gone + 8
    corrected = track.put(Placement(frame=there, places=(tuple(true[there]),)))
    watch = StopAfter(10_000)
    second = followed(film, corrected, tmp_path, watch)
    assert np.array_equal(second.places[there, 0], true[there])  # what was corrected stays
    assert second.known[there:].all() and second.known[:gone].all()
    assert rms(np.hypot(*(second.places[:, 0] - true).T)[second.known]) < 0.4
    assert set(second.lost) <= set(range(gone - 1, gone + 7))


def test_between_placements_nothing_jumps(tmp_path):
    film = film_of(tmp_path / "f.mp4", 30, turning)
    true = np.array([apply(turning(k), np.array([[80.0, 60.0]]))[0] for k in range(30)])
    off = true[20] + (3.0, -2.0)  # placed by a shaky hand
    track = point(0, true[0]).put(Placement(frame=20, places=(tuple(off),)))
    found = followed(film, track, tmp_path)
    drift = found.places[:, 0] - true
    assert np.allclose(drift[20], (3.0, -2.0)) and np.hypot(*drift[0]) < 1e-9
    assert np.hypot(*np.diff(drift[:21], axis=0).T).max() < 0.6


def test_a_correction_costs_only_what_lies_beside_it(tmp_path):
    film = film_of(tmp_path / "f.mp4", 30, turning)
    true = np.array([apply(turning(k), np.array([[80.0, 60.0]]))[0] for k in range(30)])
    track = point(0, true[0]).put(Placement(frame=10, places=(tuple(true[10]),)))
    followed(film, track, tmp_path)
    watch = StopAfter(10_000)
    followed(film, track.put(Placement(frame=20, places=(tuple(true[20]),))), tmp_path, watch)
    assert len(watch.seen) <= 10 + 10 + 9 + 1  # from 10 to 20, back, and to the end; not again from 0 to 10
    request = TrackRequest(path=film, fingerprint=film.stem, track=track)
    assert stored_track(request, 30, Shelf(tmp_path / "shelf")) is not None
    assert stored_track(request, 30, Shelf(tmp_path / "another")) is None


def test_following_can_be_stopped(tmp_path):
    film = film_of(tmp_path / "f.mp4", 20, turning)
    with pytest.raises(CancelledError):
        followed(film, point(0, np.array([200.0, 120.0])), tmp_path, StopAfter(5))


def test_where_there_is_nothing_to_hold_on_to_it_stops_at_once(tmp_path):
    with FilmWriter(tmp_path / "f.mp4", rate=Fraction(30), size=SIZE) as writer:
        for _ in range(5):
            writer.write(picture_from_rgb(np.full((SIZE[1], SIZE[0], 3), 120, np.uint8)))
    found = followed(tmp_path / "f.mp4", point(2, np.array([200.0, 120.0])), tmp_path)
    assert found.lost == (1, 3) and found.known.sum() == 1


def test_the_limit_says_how_sure_it_must_be(tmp_path):
    film = film_of(tmp_path / "f.mp4", 34, turning, cover=range(15, 34))
    place = apply(turning(0), np.array([[80.0, 60.0]]))[0]
    strict = followed(film, point(0, place, limit=0.98), tmp_path)
    loose = followed(film, point(0, place, limit=0.75), tmp_path)
    assert strict.known.sum() <= loose.known.sum() and loose.lost[0] >= 15
    assert strict.confidence[strict.known].min() >= 0.98


@pytest.mark.parametrize("kind", ["point", "surface"])
def test_a_track_written_and_read_again_is_the_same(tmp_path, kind):
    film = film_of(tmp_path / "f.mp4", 30, turning)
    take = take_in(film)
    own = np.array([[80.0, 60.0]] if kind == "point" else [[40.0, 30.0], [160.0, 30.0], [160.0, 110.0], [40.0, 110.0]])
    places = tuple(tuple(float(v) for v in place) for place in apply(turning(10), own))
    track = Track(name="Red  kite", kind=kind, placed=(Placement(frame=10, places=places),))
    found = followed(film, track, tmp_path)
    file = tmp_path / "kite.csv"
    write_text(file, track_csv(track, found, take))
    again = read_track(file, take)
    assert (again.name, again.kind, len(again.placed)) == ("Red kite", kind, int(found.known.sum()))
    for placement in again.placed:
        assert np.allclose(placement.places, found.places[placement.frame], atol=1e-3)
    assert followed(film, again, tmp_path / "again").known[found.known].all()


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("", "not a track"),
        ("frame,x_px,y_px\n1,2,3\n", "not a track"),
        ("# clevrin-track 1\nframe,x_px,y_px\n1,2,3\n", "point or a surface"),
        ("# clevrin-track 1\n# kind point\nframe,x_px\n1,2\n", "line 4"),
        ("# clevrin-track 1\n# kind point\nframe,x_px,y_px\n1,two,3\n", "line 4"),
        ("# clevrin-track 1\n# kind point\nframe,x_px,y_px\n4,nan,3\n", "line 4"),
        ("# clevrin-track 1\n# kind point\nframe,x_px,y_px\n99999,2,3\n", "no row for a frame"),
    ],
)
def test_what_is_no_track_gets_one_sentence(tmp_path, text, says, demo_take):
    file = tmp_path / "bad.csv"
    file.write_text(text)
    with pytest.raises(ClevrinError, match=says):
        read_track(file, demo_take("picnic"))
