"""What goes wrong in footage: low confidence and a sensible value, never a jump."""

from collections.abc import Callable
from fractions import Fraction
from functools import partial
from pathlib import Path

import av
import cv2
import numpy as np
import pytest

from clevrin.core.errors import MediaError
from clevrin.core.media.picture import picture_from_rgb
from clevrin.core.media.reading import FilmReader
from clevrin.core.media.writing import FilmWriter
from clevrin.core.motion import Trace, find_whips
from clevrin.core.motion.matching.working_picture import Prepared, reduced
from clevrin.core.motion.measuring.key_frames import StepTracker
from clevrin.core.motion.measuring.left_out import CarriedArea, Without
from clevrin.core.motion.measuring.measure import TraceRequest, trace_take
from clevrin.core.motion.measuring.vectors import stored_piece
from clevrin.core.motion.trace.trace import REPEATED
from clevrin.core.progress import Silent
from clevrin.core.shelf import Shelf
from clevrin.demo.footage_maker import FOOTAGE
from tests.films import shift, texture

SIZE = (480, 270)
STEP = np.array([-4.0, 1.5])
"""The picture's motion per frame of `pan`, in pixels."""


def pan(at: float, seed: int = 3) -> np.ndarray:
    x, y = np.array([400.0, 500.0]) - STEP * at
    flags = cv2.INTER_CUBIC | cv2.WARP_INVERSE_MAP
    return cv2.warpPerspective(texture(seed), shift(x, y), SIZE, flags=flags)


def filmed(path: Path, frames: int, picture: Callable[[int], np.ndarray], noise: float = 1.0) -> Path:
    rng = np.random.default_rng(5)
    with FilmWriter(path, rate=Fraction(30), size=SIZE, quality=14, threads=1) as writer:
        for k in range(frames):
            rgb = picture(k) + (noise * rng.standard_normal((SIZE[1], SIZE[0], 3)) if noise else 0)
            writer.write(picture_from_rgb(np.clip(rgb, 0, 255).astype(np.uint8)))
    return path


def traced(path: Path, tmp_path: Path, **fields: object) -> Trace:
    return trace_take(TraceRequest(path=path, model="homography", **fields), Shelf(tmp_path / "shelf"), Silent())


def off_px(trace: Trace, frames: list[int] | range) -> float:
    """How far the worst of these frames' motion is from the pan's."""
    return float(np.hypot(*(trace.displacement_px[list(frames)] - STEP).T).max())


@pytest.mark.parametrize("value", [0, 255])
@pytest.mark.parametrize("length", [1, 4])
def test_black_frames_and_flashes_are_bridged_evenly(tmp_path, value, length):
    gone = range(9, 9 + length)
    film = filmed(tmp_path / "f.mp4", 24, lambda k: np.full((SIZE[1], SIZE[0], 3), value) if k in gone else pan(k))
    trace = traced(film, tmp_path)
    assert trace.confidence[list(gone)].max() == 0
    assert np.delete(trace.confidence, list(gone))[1:].min() > 0.6
    assert off_px(trace, range(1, 24)) < 0.3  # over the gap as well: it is known what lies behind it


def test_a_picture_that_gets_brighter_at_once_is_the_same_picture(tmp_path):
    film = filmed(tmp_path / "f.mp4", 20, lambda k: pan(k) * (1.0 if k < 8 else 0.45) + (0 if k < 8 else 60))
    trace = traced(film, tmp_path)
    assert off_px(trace, range(1, 20)) < 0.3 and trace.confidence.min() > 0.5


def test_a_cut_within_a_take_is_no_motion(tmp_path):
    film = filmed(tmp_path / "f.mp4", 24, lambda k: pan(k) if k < 12 else pan(k, seed=8))
    trace = traced(film, tmp_path)
    assert trace.confidence[12] == 0 and trace.speed_px[12] == 0
    assert off_px(trace, [*range(1, 12), *range(13, 24)]) < 0.3
    assert find_whips(trace) == ()


def test_frames_shown_twice_do_not_halt_the_camera(tmp_path):
    """24 frames a second brought to 30: every fifth is there twice."""
    source = [k - k // 5 for k in range(40)]
    film = filmed(tmp_path / "f.mp4", 40, lambda k: pan(source[k]), noise=0)
    trace = traced(film, tmp_path)
    twice = [k for k in range(5, 40) if source[k] == source[k - 1]]
    assert len(twice) >= 6 and (trace.speed_px[twice] < 0.05).all()
    assert (trace.confidence[twice] == REPEATED).all()
    between = [k for k in range(6, 39) if k not in twice and k + 1 not in twice and k - 1 not in twice]
    assert off_px(trace, [k for k in range(1, 40) if k not in twice]) < 0.3
    speed = np.hypot(*trace.velocity_px.T)
    assert speed[between].min() > 0.6 * np.hypot(*STEP) and speed.min() > 0.4 * np.hypot(*STEP)


def damage(path: Path, share: float, length: int = 600) -> None:
    """Overwrites bytes within the pictures' data."""
    data = bytearray(path.read_bytes())
    start = data.index(b"mdat") + 8
    at = start + int((len(data) - start) * share)
    data[at : at + length] = np.random.default_rng(1).integers(0, 256, length, np.uint8).tobytes()
    path.write_bytes(bytes(data))


@pytest.mark.parametrize("share", [0.6, 0.75, 0.9])
def test_damage_in_the_middle_is_measured_on_both_sides(tmp_path, share, monkeypatch):
    # What a decoder makes of damage depends on how its threads meet; what is made of that is looked at here.
    monkeypatch.setattr("clevrin.core.motion.matching.feed.FilmReader", partial(FilmReader, one_thread=True))
    film = filmed(tmp_path / "f.mp4", 40, pan)
    damage(film, share)
    trace = traced(film, tmp_path)
    assert trace.frames == 40
    good = trace.confidence > 0.6
    assert good[1:4].all() and good.mean() > 0.5
    assert off_px(trace, [k for k in range(1, 40) if good[k] and good[k - 1]]) < 1.0


def test_a_film_of_which_nothing_can_be_read_says_so(tmp_path):
    film = filmed(tmp_path / "f.mp4", 12, pan)
    data = bytearray(film.read_bytes())
    start = data.index(b"mdat") + 8
    end = data.rindex(b"moov") - 4 if data.rindex(b"moov") > start else len(data)
    data[start:end] = bytes(end - start)
    film.write_bytes(bytes(data))
    with pytest.raises(MediaError, match="damaged"):
        traced(film, tmp_path)


def changing_size(path: Path) -> Path:
    """A film whose second half has pictures of half the size, as from a camera that switched modes (MPEG-TS)."""
    parts = []
    for first, size in ((0, SIZE), (12, (240, 136))):
        part = path.with_suffix(f".{first}.ts")
        with av.open(str(part), "w", format="mpegts") as out:
            stream = out.add_stream("libx264", rate=30, options={"crf": "14"})
            stream.width, stream.height, stream.pix_fmt = *size, "yuv420p"
            for k in range(first, first + 12):
                rgb = cv2.resize(pan(k), size, interpolation=cv2.INTER_AREA).clip(0, 255).astype(np.uint8)
                frame = av.VideoFrame.from_ndarray(np.ascontiguousarray(rgb), format="rgb24")
                frame.pts, frame.time_base = k + (2 if first else 0), Fraction(1, 30)
                out.mux(stream.encode(frame))
            out.mux(stream.encode(None))
        parts.append(part.read_bytes())
    path.write_bytes(b"".join(parts))
    return path


def test_a_film_that_changes_size_in_its_middle_keeps_one_size(tmp_path):
    film = changing_size(tmp_path / "f.ts")
    with FilmReader(film) as reader:
        shapes = {reader.read(k).y.shape for k in range(reader.frames)}
    assert shapes == {(SIZE[1], SIZE[0])}
    trace = traced(film, tmp_path)
    assert (trace.width, trace.height) == SIZE and trace.frames == 24
    assert off_px(trace, range(1, 11)) < 0.3
    assert trace.speed_px.max() < 3 * np.hypot(*STEP)


def test_an_area_is_carried_along_with_the_picture(tmp_path):
    """A large banner stands in the scene and flutters; the area drawn on the middle frame goes where it goes."""
    banner = texture(9)

    def picture(k: int) -> np.ndarray:
        rgb = pan(k).copy()
        left, top = (np.array([60.0, 10.0]) + STEP * (k - 10)).round().astype(int)
        flutter = shift(300 + 9 * np.sin(1.9 * k), 300 + 7 * np.cos(2.3 * k))
        cloth = cv2.warpPerspective(banner, flutter, (360, 240), flags=cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP)
        rgb[max(0, top) : top + 240, left : left + 360] = cloth[max(0, -top) :][: SIZE[1] - max(0, top)]
        return rgb

    film = filmed(tmp_path / "f.mp4", 20, picture)
    area = (55 / 480, 5 / 270, 370 / 480, 250 / 270)
    request = TraceRequest(path=film, model="homography", without=Without(carried=(CarriedArea(frame=10, area=area),)))
    shelf = Shelf(tmp_path / "shelf")
    trace = trace_take(request, shelf, Silent())
    assert off_px(trace, range(1, 20)) < 0.25
    for frame in (3, 10, 17):
        vectors = stored_piece(request, shelf, frame, 20).vectors(frame)
        assert len(vectors.after) > 20
        low = np.array([62.0, 12.0]) + STEP * (frame - 10)
        inside = ((vectors.after * SIZE > low) & (vectors.after * SIZE < low + np.array([356, 236]))).all(axis=1)
        assert not inside.any()


@pytest.mark.parametrize(("size", "pixels"), [((3840, 2160), "yuv420p"), ((640, 360), "yuv420p10le")])
def test_large_pictures_and_ten_bits_are_measured(tmp_path, size, pixels):
    film = tmp_path / "f.mp4"
    source = texture(4)
    with av.open(str(film), "w") as out:
        stream = out.add_stream("libx264", rate=30, options={"crf": "16", "preset": "ultrafast"})
        stream.width, stream.height, stream.pix_fmt = *size, pixels
        for k in range(5):
            zoom = 1000 / size[0]
            place = np.array([[zoom, 0, 100 + 6 * zoom * k], [0, zoom, 200], [0, 0, 1]])
            rgb = cv2.warpPerspective(source, place, size, flags=cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP)
            frame = av.VideoFrame.from_ndarray(rgb, format="rgb24")
            frame.pts = k
            out.mux(stream.encode(frame))
        out.mux(stream.encode(None))
    trace = traced(film, tmp_path)
    assert np.abs(trace.displacement_px[1:] - (-6, 0)).max() < 0.3 * size[0] / 1280 + 0.05


@pytest.mark.parametrize(("before", "after"), [("walk-past", "picnic"), ("picnic", "doorstep"), ("tripod", "flier")])
def test_behind_a_cut_nothing_is_said_to_have_moved(before, after):
    """Corners that agreed before the cut all go somewhere behind it."""
    tracker, frames = StepTracker(), [10, 11, 12, 13]
    with FilmReader(FOOTAGE / f"{before}.mp4") as first, FilmReader(FOOTAGE / f"{after}.mp4") as second:
        steps = [tracker.follow(Prepared(reduced(first.read_luma(frame)))) for frame in frames]
        behind = [tracker.follow(Prepared(reduced(second.read_luma(frame)))) for frame in frames]
    assert min(step.confidence for step in steps) > 0.9
    assert behind[0].confidence < 0.2 and min(step.confidence for step in behind[1:]) > 0.5


def test_a_coin_on_a_plain_floor_tells_how_the_hand_moves(tmp_path):
    """Hardly a pixel changes from frame to frame: that is no frame that comes once more."""
    coin = np.zeros((*SIZE[::-1], 3)) + 165
    for x, y, size, gray in ((250, 120, 16, 90), (245, 114, 4, 140), (256, 126, 3, 60), (244, 127, 4, 120)):
        cv2.circle(coin, (x, y), size, (gray, gray, gray), -1, cv2.LINE_AA)
    at = np.arange(30)
    hand = np.stack([1.5 * np.sin(at / 2.3), 1.1 * np.sin(at / 1.7 + 1)], axis=1)

    def seen(k: int) -> np.ndarray:
        flags, border = cv2.INTER_CUBIC | cv2.WARP_INVERSE_MAP, cv2.BORDER_REPLICATE
        return cv2.warpPerspective(
            cv2.GaussianBlur(coin, (0, 0), 1), shift(*-hand[k]), SIZE, flags=flags, borderMode=border
        )

    trace = traced(filmed(tmp_path / "f.mp4", 30, seen), tmp_path)
    off = np.hypot(*(trace.displacement_px[1:] - np.diff(hand, axis=0)).T)
    assert np.median(off) < 0.1 and off.max() < 0.35
    assert trace.sigma_px is not None
    assert (off < 3 * trace.sigma_px[1:, 0]).mean() > 0.9 and np.median(trace.sigma_px[1:, 0]) < 0.2
    assert not (trace.confidence == REPEATED).any()
