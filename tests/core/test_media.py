"""Footage files: what they say of themselves, exact frames, whole files, and sentences for what is no film."""

import os
import subprocess
import sys
from fractions import Fraction

import av
import numpy as np
import pytest

from clevrin.core.errors import MediaError
from clevrin.core.media.picture import bgra_from_picture, picture_from_rgb, rgb_from_picture
from clevrin.core.media.probe import fingerprint, probe
from clevrin.core.media.reading import FilmReader
from clevrin.core.media.sound_reading import read_sound
from clevrin.core.media.taking_in import take_in
from clevrin.core.media.writing import FilmWriter
from tests.films import mean_error, numbered_film, numbered_picture, read_number, rotate_mp4, still, texture


def numbers(reader: FilmReader, frames) -> list[int]:
    return [read_number(reader.read(k).y) for k in frames]


CONTAINERS = [
    ("film.mp4", "libx264", "yuv420p"),
    ("film.mov", "libx264", "yuv420p"),
    ("film.mkv", "libx264", "yuv420p"),
    ("film.avi", "mpeg4", "yuv420p"),
    ("film.webm", "libvpx", "yuv420p"),
    ("deep.mp4", "libx265", "yuv420p10le"),
    ("wide.mov", "libx264", "yuv444p"),
    ("phone.mp4", "libx264", "yuvj420p"),
]


@pytest.mark.parametrize(("name", "codec", "pixels"), CONTAINERS)
def test_every_frame_of_every_container_is_found_by_its_number(tmp_path, name, codec, pixels):
    path = numbered_film(tmp_path / name, codec=codec, pixel_format=pixels)
    assert probe(path).frames == 40
    with FilmReader(path) as reader:
        assert numbers(reader, range(40)) == list(range(40))
        jumps = [39, 0, 25, 24, 23, 7, 8, 38, 12, 11]
        assert numbers(reader, jumps) == jumps


@pytest.mark.parametrize("size", [(192, 108), (190, 106), (322, 182), (100, 250)])
def test_odd_sizes_are_read_as_they_are(tmp_path, size):
    path = numbered_film(tmp_path / "film.mp4", size=size, frames=4)
    facts = probe(path)
    assert (facts.width, facts.height) == size
    with FilmReader(path) as reader:
        assert reader.read(2).size == size and read_number(reader.read(2).y) == 2


def test_sizes_that_are_not_even_are_read(tmp_path):
    path = numbered_film(tmp_path / "film.mkv", size=(193, 107), codec="ffv1", frames=3)
    with FilmReader(path) as reader:
        picture = reader.read(1)
        assert picture.size == (193, 107) and picture.u.shape == (54, 97)
        assert rgb_from_picture(picture).shape == (107, 193, 3)


@pytest.mark.parametrize("frames", [1, 2, 3])
def test_the_shortest_films_are_films(tmp_path, frames):
    path = numbered_film(tmp_path / "short.mp4", frames=frames)
    assert probe(path).frames == frames
    with FilmReader(path) as reader:
        assert numbers(reader, range(frames)) == list(range(frames))


def test_short_steps_back_do_not_decode_again(tmp_path):
    path = numbered_film(tmp_path / "film.mp4", frames=60, keyframes=60)
    with FilmReader(path) as reader:
        reader.read(50)
        container = reader._container
        reader._container = None  # nothing can be decoded any more
        assert numbers(reader, range(50, 20, -1)) == list(range(50, 20, -1))
        reader._container = container


def test_frames_beyond_the_film_are_a_mistake_of_the_caller(tmp_path):
    with FilmReader(numbered_film(tmp_path / "film.mp4", frames=5)) as reader, pytest.raises(IndexError):
        reader.read(5)


def test_variable_rate_is_noticed_and_keeps_its_time_stamps(tmp_path):
    stamps = np.cumsum([0, *([33, 34, 33, 60, 17] * 8)])[:40]
    path = numbered_film(tmp_path / "phone.mp4", stamps=[int(s) for s in stamps])
    facts = probe(path)
    assert facts.variable and facts.frames == 40
    assert float(facts.rate) == pytest.approx(39 / (stamps[-1] / 1000), rel=0.01)
    with FilmReader(path) as reader:
        assert reader.index.times_s == pytest.approx(stamps / 1000, abs=0.0015)
        assert numbers(reader, [39, 3, 20]) == [39, 3, 20]


@pytest.mark.parametrize("rate", [Fraction(24000, 1001), Fraction(30000, 1001), Fraction(25), Fraction(120)])
def test_constant_rates_are_exact(tmp_path, rate):
    facts = probe(numbered_film(tmp_path / "film.mp4", rate=rate))
    assert facts.rate == rate and not facts.variable


def test_ticks_of_a_millisecond_are_no_variable_rate(tmp_path):
    facts = probe(numbered_film(tmp_path / "film.mkv", rate=Fraction(30000, 1001), frames=90))
    assert not facts.variable and facts.rate == Fraction(30000, 1001)


@pytest.mark.parametrize(("degrees", "turns"), [(90, 1), (180, 2), (270, 3)])
def test_the_rotation_of_phones_is_carried_out(tmp_path, degrees, turns):
    path = numbered_film(tmp_path / "phone.mp4", frames=3)
    with FilmReader(path) as reader:
        plain, luma = reader.read(1), reader.read_luma(1)
    rotate_mp4(path, degrees)
    facts = probe(path)
    assert (facts.width, facts.height) == ((108, 192) if turns % 2 else (192, 108))
    assert facts.rotation == degrees
    with FilmReader(path) as reader:
        assert np.array_equal(reader.read(1).y, np.rot90(plain.y, turns))
        assert np.array_equal(reader.read_luma(1), np.rot90(luma, turns))


def test_full_range_and_older_colours_look_the_same(tmp_path):
    wanted = rgb_from_picture(picture_from_rgb(numbered_picture(5, (192, 108))))
    for name, pixels in (("a.mp4", "yuvj420p"), ("b.mp4", "yuv444p")):
        path = numbered_film(tmp_path / name, pixel_format=pixels, frames=8)
        with FilmReader(path) as reader:
            assert mean_error(rgb_from_picture(reader.read(5)), wanted) < 3


def test_a_picture_and_its_planes_are_the_same_colours():
    rgb = np.repeat(np.repeat(texture(3, 64)[::4, ::4], 2, axis=0), 2, axis=1)
    picture = picture_from_rgb(rgb)
    inner = (slice(2, -2), slice(2, -2))
    assert mean_error(rgb_from_picture(picture)[inner], rgb[inner]) < 12  # chroma is kept at half size
    grey = np.full((10, 12, 3), 77, np.uint8)
    assert mean_error(rgb_from_picture(picture_from_rgb(grey)), grey) <= 1
    bgra = bgra_from_picture(picture)
    apart = bgra[..., 2::-1].astype(int) - rgb_from_picture(picture)
    assert np.abs(apart).max() <= 1 and (bgra[..., 3] == 255).all()


def test_what_is_written_is_read(tmp_path):
    path = tmp_path / "out.mp4"
    with FilmWriter(path, rate=Fraction(25), size=(192, 108)) as writer:
        for k in range(6):
            writer.write(picture_from_rgb(numbered_picture(k, (192, 108))))
    assert probe(path).frames == 6 and probe(path).rate == 25
    with FilmReader(path) as reader:
        assert numbers(reader, range(6)) == list(range(6))
        frame = reader._frame(0)
        assert (frame.colorspace, frame.color_range) == (1, 1)


def test_an_interrupted_film_is_absent_and_the_old_one_stays(tmp_path):
    path = tmp_path / "out.mp4"
    path.write_bytes(b"what was there")
    with pytest.raises(RuntimeError), FilmWriter(path, rate=Fraction(25), size=(192, 108)) as writer:
        writer.write(still((192, 108), 90))
        raise RuntimeError("stopped")
    assert path.read_bytes() == b"what was there" and [p.name for p in tmp_path.iterdir()] == ["out.mp4"]


def test_a_film_cannot_be_written_into_a_folder_that_is_not_there(tmp_path):
    with pytest.raises(MediaError, match="is not there"):
        FilmWriter(tmp_path / "nowhere" / "out.mp4", rate=Fraction(25), size=(192, 108))


def test_a_full_disk_is_told_and_leaves_nothing(tmp_path):
    """A limit on the size of files stands in for the end of the disk: the kernel fails the same writes."""
    code = (
        "import resource, signal, sys\nfrom fractions import Fraction\nfrom pathlib import Path\n"
        "import numpy as np\n"
        "from clevrin.core.errors import MediaError\nfrom clevrin.core.media.picture import picture_from_rgb\n"
        "from clevrin.core.media.writing import FilmWriter\n"
        "signal.signal(signal.SIGXFSZ, signal.SIG_IGN)\n"
        "resource.setrlimit(resource.RLIMIT_FSIZE, (60_000, 60_000))\n"
        "rng = np.random.default_rng(1)\n"
        "try:\n"
        "    with FilmWriter(Path(sys.argv[1]), rate=Fraction(25), size=(320, 180), quality=2) as w:\n"
        "        for k in range(40): w.write(picture_from_rgb(rng.integers(0, 255, (180, 320, 3), np.uint8)))\n"
        "except MediaError as error: print(error); sys.exit(7)\n"
    )
    result = subprocess.run([sys.executable, "-c", code, str(tmp_path / "out.mp4")], capture_output=True, text=True)
    assert result.returncode == 7, result.stderr
    assert "cannot be written" in result.stdout
    assert not list(tmp_path.iterdir())


def test_sound_is_read_at_its_place(tmp_path):
    path = numbered_film(tmp_path / "film.mp4", frames=60, sound=True)
    assert probe(path).sound
    sound = read_sound(path, 0.5, 24_000)
    assert sound.shape == (24_000, 2)
    spectrum = np.abs(np.fft.rfft(sound[:, 0]))
    assert np.argmax(spectrum) * 48_000 / 24_000 == pytest.approx(440, abs=4)
    beyond = read_sound(path, 100.0, 480)
    assert not beyond.any()


def test_a_film_without_sound_is_silent(tmp_path):
    assert not read_sound(numbered_film(tmp_path / "film.mp4", frames=5), 0, 1000).any()


def test_a_fingerprint_knows_the_file_wherever_it_lies(tmp_path):
    path = numbered_film(tmp_path / "film.mp4", frames=5)
    before = fingerprint(path)
    moved = path.rename(tmp_path / "other.mp4")
    assert fingerprint(moved) == before
    moved.write_bytes(moved.read_bytes() + b"x")
    assert fingerprint(moved) != before


def bad_files(folder):
    film = numbered_film(folder / "good.mp4", frames=30, size=(320, 180))
    data = film.read_bytes()
    (folder / "empty.mp4").write_bytes(b"")
    (folder / "cut.mp4").write_bytes(data[: len(data) // 2])
    (folder / "text.mp4").write_text("a kite, not a film")
    (folder / "noise.avi").write_bytes(np.random.default_rng(1).bytes(5000))
    with av.open(str(folder / "sound.m4a"), "w") as out:
        stream = out.add_stream("aac", rate=48000, layout="mono")
        frame = av.AudioFrame.from_ndarray(np.zeros((1, 1024), np.float32), "fltp", "mono")
        frame.sample_rate = 48000
        out.mux(stream.encode(frame))
        out.mux(stream.encode(None))
    broken = bytearray(data)
    at = broken.index(b"avc1") + 4 + 24  # the size in the sample description
    broken[at : at + 4] = b"\xff\xff\xff\xff"
    (folder / "absurd.mp4").write_bytes(bytes(broken))


@pytest.mark.parametrize("name", ["missing.mp4", "empty.mp4", "cut.mp4", "text.mp4", "noise.avi", "sound.m4a", "."])
def test_what_is_no_film_gets_one_sentence(tmp_path, name):
    bad_files(tmp_path)
    with pytest.raises(MediaError) as caught:
        take_in(tmp_path / name)
    said = str(caught.value)
    assert said.endswith(".") and "\n" not in said and "Error" not in said


def test_a_size_in_the_header_that_lies_does_not_take_memory(tmp_path):
    bad_files(tmp_path)
    try:
        facts = probe(tmp_path / "absurd.mp4")
    except MediaError:
        return
    assert facts.width <= 16384  # the decoder knew better than the header


def test_a_film_cut_off_in_a_container_that_allows_it_is_read_as_far_as_it_goes(tmp_path):
    film = numbered_film(tmp_path / "film.mkv", frames=60, size=(320, 180))
    film.write_bytes(film.read_bytes()[: film.stat().st_size * 2 // 3])
    facts = probe(film)
    assert 10 < facts.frames < 60
    with FilmReader(film) as reader:
        assert numbers(reader, range(0, 10)) == list(range(10))


def test_a_film_that_nobody_may_read_gets_a_sentence(tmp_path):
    film = numbered_film(tmp_path / "film.mp4", frames=3)
    film.chmod(0)
    if os.access(film, os.R_OK):
        pytest.skip("root may read everything")
    with pytest.raises(MediaError, match="no permission"):
        probe(film)


def test_pictures_that_bear_the_stamps_of_another_order_are_told_by_counting(tmp_path):
    """Some recorders write when a picture is decoded for when it is shown."""
    whole, odd = numbered_film(tmp_path / "whole.mp4"), tmp_path / "odd.mp4"
    with av.open(str(whole)) as film, av.open(str(odd), "w") as out:
        stream = out.add_stream_from_template(film.streams.video[0])
        step = None
        for number, packet in enumerate(each for each in film.demux(video=0) if each.size):
            step = step or packet.duration
            packet.pts = packet.dts = number * step
            packet.stream = stream
            out.mux(packet)
    with FilmReader(odd) as reader:
        assert reader.index.unordered
        assert [read_number(reader.read(frame).y) for frame in (*range(40), 5, 30, 11, 12, 39)] == [
            *range(40),
            5,
            30,
            11,
            12,
            39,
        ]
    with FilmReader(whole) as reader:
        assert not reader.index.unordered
