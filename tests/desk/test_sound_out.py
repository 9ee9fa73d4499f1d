"""Sound while it plays: on a real sound server with a silent device, and without any device."""

import os
import shutil
import subprocess
import sys
from pathlib import Path
from types import SimpleNamespace

import numpy as np
import pytest

from clevrin.core.document import Project, Reel, Shot, Span
from clevrin.core.media.taking_in import take_in
from clevrin.core.sound.mix import ReelSound
from clevrin.core.sound.takes import TakesSound
from clevrin.desk.playback import sound_out
from tests.films import numbered_film

RATE = 48_000


@pytest.fixture
def sounding(tmp_path) -> Project:
    """Two shots of a film with a tone, one of them backward."""
    take = take_in(numbered_film(tmp_path / "tone.mp4", frames=60, sound=True))
    shots = (
        Shot(take_id=take.id, span=Span(first=0, end=30)),
        Shot(take_id=take.id, span=Span(first=10, end=40), reverse=True),
    )
    return Project(takes=(take,), reel=Reel(shots=shots, width=192, height=108))


def test_the_reels_sound_is_the_same_in_pieces(sounding):
    whole = np.concatenate([TakesSound(sounding).of_shot(number) for number in range(2)])
    assert len(whole) == 2 * RATE and np.abs(whole).max() > 0.3
    reel = ReelSound(sounding)
    pieces = np.concatenate([reel.read(at, 7000) for at in range(0, 2 * RATE, 7000)])[: 2 * RATE]
    # Decoding from another place in the stream: equal but for the codec's own rounding.
    assert np.abs(pieces[2000:-2000] - whole[2000:-2000]).max() < 0.05
    assert not reel.read(2 * RATE, 100).any()  # behind the end


def test_a_take_that_does_not_play_at_its_own_speed_is_silent(sounding):
    slow = sounding.changed(reel=sounding.reel.changed(rate=25))
    take = sounding.takes[0].changed(conform="every frame")
    slow = slow.changed(takes=(take,))
    assert not ReelSound(slow).read(0, RATE).any() and ReelSound(sounding).read(0, RATE).any()


PLAY = """
import json, sys, time
from fractions import Fraction
from pathlib import Path
from PySide6.QtCore import QTimer
from PySide6.QtWidgets import QApplication
from clevrin.core.document.files import load
from clevrin.core.render.sources import Sources
from clevrin.desk.playback.player import Player
from clevrin.desk.playback.programmes import reel_programme
application = QApplication([])
player = Player(Sources.of)
seen = []
player.shown.connect(lambda frame, _: seen.append((time.monotonic(), frame, player.sound.running)))
player.load(reel_programme(load(Path(sys.argv[1])), (192, 108), loop=tuple(json.loads(sys.argv[2]))), 0)
QTimer.singleShot(300, player.play)
if sys.argv[3]:
    import os
    QTimer.singleShot(1500, lambda: os.kill(int(sys.argv[3]), 9))
QTimer.singleShot(4300, application.quit)
application.exec()
figures = player.figures
player.close()
print(json.dumps({"seen": seen, "dropped": figures.dropped}))
"""


@pytest.fixture
def server(tmp_path):
    """A PulseAudio server of its own with a device that plays into nothing."""
    if shutil.which("pulseaudio") is None:
        pytest.skip("no sound server on this machine")
    home = tmp_path / "pulse"
    (home / "run").mkdir(parents=True, mode=0o700)
    env = {**os.environ, "HOME": str(home), "XDG_RUNTIME_DIR": str(home / "run")}
    process = subprocess.Popen(
        [
            *("pulseaudio", "-n", "--exit-idle-time=-1", "--daemonize=no"),
            *("-L", "module-native-protocol-unix"),
            *("-L", "module-null-sink sink_name=testnull rate=48000 channels=2"),
        ],
        env=env,
        stdout=subprocess.DEVNULL,
        stderr=subprocess.DEVNULL,
    )
    until_there(home / "run" / "pulse" / "native")
    yield env, process
    process.kill()
    process.wait()


def until_there(path: Path) -> None:
    import time

    end = time.monotonic() + 20
    while not path.exists():
        assert time.monotonic() < end, "the sound server did not start"
        time.sleep(0.02)


def played(project: Project, folder: Path, env, loop=(0, 60), kill: str = "") -> dict:
    import json

    from clevrin.core.document.files import save

    save(project, folder / "p.clevrin")
    result = subprocess.run(
        [sys.executable, "-c", PLAY, str(folder / "p.clevrin"), json.dumps(loop), kill],
        env=env,
        capture_output=True,
        text=True,
        timeout=60,
    )
    assert result.returncode == 0, result.stderr
    return json.loads(result.stdout.splitlines()[-1])


def pace_of(seen: list) -> float:
    """Frames a second, counted on through the loop of two seconds: the median over stretches of ten pictures.

    Where a busy machine's time is taken away for a while, that is one stretch of many.
    """
    times = np.diff([t for t, _, _ in seen])
    frames = np.diff([f for _, f, _ in seen]) % 60
    stretch = np.ones(min(10, len(times)))
    return float(np.median(np.convolve(frames, stretch, "valid") / np.convolve(times, stretch, "valid")))


class TakenTime:
    """How much of the machine's time its host gave to others since this was made, 0 to 1."""

    def __init__(self) -> None:
        self._before = self._ticks()

    @staticmethod
    def _ticks() -> tuple[int, int]:
        ticks = [int(each) for each in Path("/proc/stat").read_text().split("\n", 1)[0].split()[1:9]]
        return ticks[7], sum(ticks)

    @property
    def share(self) -> float:
        (stolen, whole), (stolen_now, whole_now) = self._before, self._ticks()
        return (stolen_now - stolen) / max(1, whole_now - whole)


_MUCH_TAKEN = 0.1
"""From this share on a sound server gaps, and pictures are dropped, whatever the player does."""


def test_the_sound_device_is_the_clock_and_hears_the_tone(sounding, server, tmp_path):
    env, _ = server
    taken = TakenTime()
    heard = tmp_path / "heard.raw"
    with heard.open("wb") as file:
        recorder = subprocess.Popen(
            ["parec", "-d", "testnull.monitor", "--format=float32le", "--rate=48000", "--channels=2"],
            env=env,
            stdout=file,
        )
        result = played(sounding, tmp_path, env)
        recorder.terminate()
        recorder.wait()
    playing = result["seen"][3:]
    assert all(sound for _, _, sound in playing)
    # The device is the clock: one in a machine whose time is taken away runs late; below it is set by hand.
    assert pace_of(playing) == pytest.approx(30, rel=0.1)
    samples = np.frombuffer(heard.read_bytes()[: heard.stat().st_size // 8 * 8], np.float32).reshape(-1, 2)[:, 0]
    loud = samples[np.flatnonzero(np.abs(samples) > 0.2)[0] :][: 2 * RATE]
    tone = np.argmax(np.abs(np.fft.rfft(loud * np.hanning(len(loud))))) * RATE / len(loud)
    assert tone == pytest.approx(440, abs=3)
    # A server whose time is taken away gaps by itself: that the player leaves none is shown without one, below.
    assert np.mean(np.abs(loud) > 0.02) > 0.5 or taken.share > _MUCH_TAKEN


class Device:
    """A device whose time is set by hand: it keeps all that it was given."""

    CAPACITY = RATE // 2 * 8

    def __init__(self) -> None:
        self.given = bytearray()
        self.played_s = 0.0

    def start(self) -> "Device":
        return self

    def bytesFree(self) -> int:
        return self.CAPACITY - (len(self.given) - round(self.played_s * RATE) * 8)

    def processedUSecs(self) -> int:
        return round(self.played_s * 1e6)

    def write(self, block: bytes) -> int:
        self.given += block
        return len(block)

    def reset(self) -> None:
        pass


def test_a_device_that_begins_late_is_given_each_sample_once_but_those_it_is_late_by(qtbot, monkeypatch):
    device, now = Device(), [100.0]
    monkeypatch.setattr(sound_out, "_open_sink", lambda: device)
    monkeypatch.setattr(sound_out, "time", SimpleNamespace(monotonic=lambda: now[0]))
    out = sound_out.SoundOut()
    # Each sample says which one it is: float32 holds all whole numbers up to 2^24.
    assert out.start(lambda at, count: np.repeat(np.arange(at, at + count, dtype=np.float32)[:, None], 2, 1) / 2**24)

    def full() -> bool:
        out._feed()
        return device.bytesFree() == 0

    qtbot.waitUntil(full)
    for now[0], device.played_s in ((100.3, 0.0), (100.4, 0.1), (100.7, 0.4), (101.1, 0.8), (101.5, 1.2)):
        qtbot.waitUntil(full)
    assert out.clock_s == pytest.approx(1.5)
    out.stop()
    left, right = np.frombuffer(bytes(device.given), np.float32).reshape(-1, 2).T * 2**24
    assert np.array_equal(left, right)
    had, lead, fade = round(0.6 * RATE), round(0.3 * RATE), RATE // 200
    assert np.array_equal(left[:had], np.arange(had))  # what it was given until it was seen to have begun
    late, after = had + lead, left[had:]
    assert np.array_equal(after[fade:], np.arange(late + fade, late + len(after)))
    assert (after[:fade] <= np.arange(late, late + fade)).all() and (np.diff(after[:fade]) > 0).all()


def test_when_the_device_goes_away_it_plays_on_by_the_wall_clock(sounding, server, tmp_path):
    env, process = server
    taken = TakenTime()
    result = played(sounding, tmp_path, env, kill=str(process.pid))
    sounds = [sound for _, _, sound in result["seen"][3:]]
    assert sounds[0] and not sounds[-1]
    after = [each for each in result["seen"] if not each[2]][5:]
    assert len(after) > (3 if taken.share > _MUCH_TAKEN else 10)
    assert pace_of(after) == pytest.approx(30, rel=0.05)


def test_without_a_device_it_plays_silently_at_the_right_rate(sounding, tmp_path):
    env = {**os.environ, "XDG_RUNTIME_DIR": str(tmp_path), "HOME": str(tmp_path), "PULSE_SERVER": "unix:/nowhere"}
    result = played(sounding, tmp_path, env)
    assert not any(sound for _, _, sound in result["seen"])
    assert pace_of(result["seen"][3:]) == pytest.approx(30, rel=0.03)
