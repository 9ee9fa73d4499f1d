"""The door through which films come in: only what was asked for is opened, and all trouble is a sentence."""

import os
import subprocess
import sys
import threading
import time
from fractions import Fraction

import av
import numpy as np
import pytest

from clevrin.core.errors import CancelledError, MediaError
from clevrin.core.media.door import stopped_by
from clevrin.core.media.index import index_frames
from clevrin.core.media.reading import FilmReader
from clevrin.core.media.specials import specials
from clevrin.core.media.taking_in import take_in
from clevrin.core.media.writing import FilmWriter
from tests.core.test_document import facts
from tests.films import numbered_film, still

LISTS = {
    "list.mp4": "ffconcat version 1.0\nfile '{film}'\n",
    "self.mp4": "ffconcat version 1.0\nfile 'self.mp4'\n",
    "stream.mp4": "#EXTM3U\n#EXT-X-TARGETDURATION:10\n#EXTINF:10,\n{film}\n#EXT-X-ENDLIST\n",
    "fifo.mov": "ffconcat version 1.0\nfile 'waits'\n",
    "net.mkv": "#EXTM3U\n#EXT-X-TARGETDURATION:10\n#EXTINF:10,\nhttp://127.0.0.1:9/x.ts\n#EXT-X-ENDLIST\n",
    "described.mp4": "v=0\no=- 0 0 IN IP4 127.0.0.1\ns=x\nm=video 9 RTP/AVP 96\na=rtpmap:96 H264/90000\n",
    "list.webm": "<?xml version='1.0'?><MPD type='static'><Period><BaseURL>{film}</BaseURL></Period></MPD>",
}


@pytest.mark.parametrize("name", LISTS)
def test_what_names_other_files_is_not_followed(tmp_path, name):
    film = numbered_film(tmp_path / "film.mp4", frames=5)
    os.mkfifo(tmp_path / "waits")
    (tmp_path / name).write_text(LISTS[name].format(film=film))
    begun = time.monotonic()
    with pytest.raises(MediaError, match="not a film"):
        take_in(tmp_path / name)
    assert time.monotonic() - begun < 2


@pytest.mark.parametrize("name", ["img%03d.png", "concat:a.mp4|b.mp4", "fd:", "pipe:0", "http:/127.0.0.1/x", "-"])
def test_a_name_is_a_name_and_no_pattern_or_address(tmp_path, monkeypatch, name):
    from pathlib import Path

    monkeypatch.chdir(tmp_path)
    numbered_film(tmp_path / "a.mp4", frames=5)
    (tmp_path / "img001.png").write_bytes(b"\x89PNG\r\n\x1a\n")
    with pytest.raises(MediaError, match="is not there"):
        take_in(Path(name))
    odd = tmp_path / name.replace("/", "_")
    (tmp_path / "a.mp4").rename(odd)
    assert take_in(odd).facts.frames == 5  # and a film of that name is a film


@pytest.mark.parametrize("kind", ["fifo", "device", "folder", "socket"])
def test_what_is_no_regular_file_is_told_at_once(tmp_path, kind):
    import socket

    path = tmp_path / "x.mp4"
    if kind == "fifo":
        os.mkfifo(path)
    elif kind == "folder":
        path.mkdir()
    elif kind == "socket":
        with socket.socket(socket.AF_UNIX) as bound:
            bound.bind(str(path))
    else:
        path.symlink_to("/dev/zero")
    begun = time.monotonic()
    with pytest.raises(MediaError):
        take_in(path)
    assert time.monotonic() - begun < 1


@pytest.mark.parametrize("size", [(8, 480), (2, 2), (2048, 16), (12, 12)])
def test_pictures_too_small_or_thin_are_told_at_the_door(tmp_path, size):
    with FilmWriter(tmp_path / "thin.mp4", rate=Fraction(25), size=size) as writer:
        for _ in range(3):
            writer.write(still(size, 90))
    with pytest.raises(MediaError, match=f"{size[0]}x{size[1]}"):
        take_in(tmp_path / "thin.mp4")


def test_reading_a_long_film_is_stopped(tmp_path):
    film = numbered_film(tmp_path / "film.mkv", frames=300, size=(64, 36))
    asked = []

    def stop() -> bool:
        asked.append(1)
        return len(asked) > 20

    with stopped_by(stop), pytest.raises(CancelledError):
        index_frames(film)
    assert len(asked) < 25
    assert index_frames(film).frames == 300  # and others are not


def test_a_window_that_is_closed_ends_within_two_seconds_whatever_is_read(tmp_path):
    """A film that takes very long to look through, brought in and left."""
    film = numbered_film(tmp_path / "long.ts", frames=400, size=(64, 36), container="mpegts")
    with (tmp_path / "longer.ts").open("wb") as longer:
        for _ in range(600):
            longer.write(film.read_bytes())
    code = (
        "import sys, time\nfrom pathlib import Path\nfrom PySide6.QtCore import QTimer\n"
        "from PySide6.QtWidgets import QApplication\nfrom clevrin.desk.shell.window import MainWindow\n"
        "app = QApplication([])\nwindow = MainWindow()\nwindow.show()\n"
        "window.footage.open_files([Path(sys.argv[1])])\n"
        "def close():\n    global begun\n    assert window.jobs.busy\n    begun = time.monotonic()\n"
        "    window.close()\n    app.quit()\n"
        "QTimer.singleShot(400, close)\napp.exec()\nprint(time.monotonic() - begun)\n"
    )
    result = subprocess.run(
        [sys.executable, "-c", code, str(tmp_path / "longer.ts")], capture_output=True, text=True, timeout=60
    )
    assert result.returncode == 0, result.stderr[-2000:]
    assert float(result.stdout) < 2


def test_interlaced_film_shows_no_combs_however_a_frame_is_reached(tmp_path):
    path, size = tmp_path / "i.mpg", (320, 240)
    with av.open(str(path), "w") as out:
        stream = out.add_stream("mpeg2video", rate=25, options={"flags": "+ildct+ilme", "top": "1"})
        stream.width, stream.height, stream.pix_fmt, stream.bit_rate = *size, "yuv420p", 4_000_000
        for k in range(20):
            rgb = np.zeros((size[1], size[0], 3), np.uint8)
            rgb[0::2, 10 + 8 * k : 60 + 8 * k] = 220
            rgb[1::2, 14 + 8 * k : 64 + 8 * k] = 220
            frame = av.VideoFrame.from_ndarray(rgb, format="rgb24").reformat(format="yuv420p")
            frame.pts, frame.time_base = k, Fraction(1, 25)
            out.mux(stream.encode(frame))
        out.mux(stream.encode(None))
    take = take_in(path)
    assert take.facts.interlaced and any("interlaced" in sentence for sentence in specials(take.facts))
    with FilmReader(path) as reader, FilmReader(path) as other:
        forward = [reader.read(k).y for k in range(20)]
        for k in (13, 2, 19, 7):
            assert np.array_equal(other.read(k).y, forward[k])
    rows = np.abs(np.diff(forward[9].astype(int), axis=0))[8:-8]
    assert rows.mean() < 0.5  # combs would be some 5


def test_wide_pixels_are_shown_as_wide_as_they_are(tmp_path):
    path = tmp_path / "wide.mp4"
    with av.open(str(path), "w") as out:
        stream = out.add_stream("libx264", rate=25)
        stream.width, stream.height, stream.pix_fmt = 360, 288, "yuv420p"
        stream.codec_context.sample_aspect_ratio = Fraction(64, 45)
        for k in range(5):
            frame = av.VideoFrame.from_ndarray(np.full((288, 360, 3), 90, np.uint8), format="rgb24")
            frame.pts, frame.time_base = k, Fraction(1, 25)
            out.mux(stream.encode(frame))
        out.mux(stream.encode(None))
    take = take_in(path)
    assert (take.facts.width, take.facts.height) == (512, 288)
    assert "512x288" in " ".join(specials(take.facts))
    with FilmReader(path) as reader:
        assert reader.read_luma(0).shape == (288, 512) and reader.read(0).size == (360, 288)


def test_what_is_special_is_said_and_what_is_usual_is_not():
    assert specials(facts()) == ()
    told = specials(facts(variable=True, interlaced=True, channels=6, tagged=False))
    assert len(told) == 4 and all(sentence.endswith(".") for sentence in told)


def test_stopping_holds_for_its_own_thread_alone(tmp_path):
    film = numbered_film(tmp_path / "film.mp4", frames=10)
    found = []
    with stopped_by(lambda: True):
        thread = threading.Thread(target=lambda: found.append(index_frames(film).frames))
        thread.start()
        thread.join()
    assert found == [10]
