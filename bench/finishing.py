"""Delivering: what rendering costs, what a change costs, kills, colours, loudness, and what becomes of an hour."""

import os
import signal
import subprocess
import sys
import tempfile
import threading
import time
from fractions import Fraction
from pathlib import Path

import numpy as np

from bench.rows import Row
from bench.speed import make_full_hd
from clevrin.core.document import Gate, Hold, Pose, Project, Reel, Shot, Span, Take
from clevrin.core.document.edits import AddTakes
from clevrin.core.document.files import save
from clevrin.core.media.binding import SegmentWriter
from clevrin.core.media.formats import FORMATS
from clevrin.core.media.picture import bgra_from_picture
from clevrin.core.media.reading import FilmReader
from clevrin.core.media.sound_reading import sound_blocks
from clevrin.core.media.taking_in import take_in
from clevrin.core.progress import Silent
from clevrin.core.render.export.export import ExportRequest, export_reel
from clevrin.core.render.picture import carried_out, plan_at
from clevrin.core.render.sources import Sources
from clevrin.core.shelf import Shelf
from clevrin.core.sound.loudness import loudness_of
from clevrin.demo.colour_bars import CODINGS, SIZE, comparable, expected, film_bars, read_bars
from tests.films import clicks, numbered_film

_FRAMES, _RATE = 240, Fraction(30)
_KILLS = 12
_HOUR_S = 3600


def finishing_rows() -> list[Row]:
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        return [
            _cost_row(folder),
            *_change_rows(folder),
            _kill_row(folder),
            *_colour_rows(folder),
            _viewer_row(folder),
            _loudness_row(),
            *_hour_rows(folder),
        ]


def full_hd(folder: Path) -> Take:
    path = folder / "hd.mp4"
    if not path.exists():
        make_full_hd(path, _FRAMES)
    return take_in(path)


def _cost_row(folder: Path) -> Row:
    """Two held shots and a gate that moves, joined by a whip cut, against reading and encoding the same frames."""
    take = full_hd(folder)
    half = _FRAMES // 2
    poses = (Pose(frame=half, x=960, y=540, width=1850), Pose(frame=_FRAMES - 1, x=940, y=540, width=1600))
    shots = (
        Shot(take_id=take.id, span=Span(first=0, end=half), hold=Hold(how="float")),
        Shot(take_id=take.id, span=Span(first=half, end=_FRAMES), gates=(Gate(poses=poses),)),
    )
    project = Project(takes=(take,), reel=Reel(width=1920, height=1080, rate=take.facts.rate, shots=shots))
    coding = FORMATS["h264"].coding("net", deep=False, clear=False)
    times = []
    with Sources.of(Shelf(folder / "shelf")) as sources:
        sources.measured.measure(take, Silent())
        for _ in range(2):
            began = time.perf_counter()
            export_reel(ExportRequest(project=project, path=folder / "cost.mp4"), sources, Silent())
            ours = time.perf_counter() - began
            began = time.perf_counter()
            place = folder / "plain.segment"
            with (
                FilmReader(Path(take.path)) as film,
                SegmentWriter(
                    place, coding=coding, rate=take.facts.rate, size=(1920, 1080), colour=film.read(0).colour
                ) as writer,
            ):
                for frame in range(_FRAMES):
                    writer.write(film.read(frame))
            times.append(ours / (time.perf_counter() - began))
            place.unlink()
    return Row("rendering 1080p against reading and encoding alone", "1.3x", f"{min(times):.2f}x", min(times) <= 1.3)


def _long_reel(folder: Path, shots: int) -> Project:
    take = take_in(numbered_film(folder / "long.mp4", frames=300, size=(320, 180), rate=_RATE, sound=True))
    row = tuple(Shot(take_id=take.id, span=Span(first=k % 7, end=290 + k % 7)) for k in range(shots))
    return Project(takes=(take,), reel=Reel(width=320, height=180, rate=_RATE, shots=row))


def _change_rows(folder: Path) -> list[Row]:
    """A reel of ten minutes, rendered; then one of its sixty-two shots is changed in the middle."""
    project, path = _long_reel(folder, 62), folder / "ten.mp4"
    shots = list(project.reel.shots)
    shots[31] = shots[31].changed(span=Span(first=20, end=290), mirror="horizontal")
    changed = project.changed(reel=project.reel.changed(shots=tuple(shots)))
    with Sources.of(Shelf(folder / "shelf")) as sources:
        began = time.perf_counter()
        export_reel(ExportRequest(project=project, path=path), sources, Silent())
        whole = time.perf_counter() - began
        began = time.perf_counter()
        export_reel(ExportRequest(project=changed, path=path, resume=True), sources, Silent())
        again = time.perf_counter() - began
        began = time.perf_counter()
        export_reel(ExportRequest(project=changed, path=path, resume=True), sources, Silent())
        nothing = time.perf_counter() - began
    share = 270 / (290 * 62)
    return [
        Row("ten minutes again, one shot of 62 changed (1.5 %)", "", f"{again / whole:.1%} of {whole:.0f} s"),
        Row("the same, nothing changed: planning and binding", "", f"{nothing / whole:.1%}"),
        Row("the changed shot itself", "in proportion", f"{(again - nothing) / whole:.1%}",
            (again - nothing) / whole < 3 * share),
    ]  # fmt: skip


def _kill_row(folder: Path) -> Row:
    """Killed at random instants and resumed, as a process of its own; the same bytes as in one go."""
    project = _long_reel(folder, 4)
    file, whole = folder / "kill.clevrin", folder / "whole.mp4"
    save(project, file)
    command = [sys.executable, "-m", "clevrin", "render", str(file), "--out"]
    began = time.perf_counter()
    subprocess.run([*command, str(whole)], check=True, capture_output=True)
    lasts, rng, same = time.perf_counter() - began, np.random.default_rng(5), 0
    for number in range(_KILLS):
        path = folder / f"killed-{number}.mp4"
        process = subprocess.Popen([*command, str(path)], stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
        try:
            process.wait(rng.uniform(0.2, 1.0) * lasts)
        except subprocess.TimeoutExpired:
            os.kill(process.pid, signal.SIGKILL)
            process.wait()
        subprocess.run([*command, str(path), "--resume"], check=True, capture_output=True)
        same += path.read_bytes() == whole.read_bytes()
        path.unlink()
    left = len(list(folder.glob(".clevrin-*")))
    what = f"killed at {_KILLS} random instants and resumed: the same bytes"
    return Row(what, "all", f"{same} of {_KILLS}, {left} left behind", same == _KILLS and left == 0)


def _colour_rows(folder: Path) -> list[Row]:
    """Bars through every format of films, read back by its own tags; of 8 and of 10 bit."""
    rows = []
    for coding in (next(each for each in CODINGS if each.depth == depth) for depth in (8, 10)):
        source = folder / f"bars{coding.depth}{coding.suffix}"
        values = film_bars(source, coding)
        project = AddTakes(takes=(take_in(source),)).apply(Project())
        shot = Shot(take_id=project.takes[0].id, span=project.takes[0].whole)
        project = project.changed(reel=project.reel.changed(shots=(shot,), width=SIZE[0], height=SIZE[1]))
        high = coding.transfer != "sdr"
        worst: dict[str, float] = {}
        with Sources.of(Shelf(folder / "shelf")) as sources:
            for kind in (each for each in FORMATS.values() if each.kind == "film"):
                purpose = "lossless" if "lossless" in kind.purposes else "edit" if "edit" in kind.purposes else "net"
                made = folder / f"made{kind.suffix}"
                request = ExportRequest(project=project, path=made, kind=kind.id, purpose=purpose)
                export_reel(request, sources, Silent())
                found, depth = read_bars(made)
                counts = comparable(values, coding, high=high)
                off = np.abs(found - expected(values, coding, high=high, depth=depth))[counts].max()
                worst[kind.id] = float(off) * (1 if coding.depth == depth else 2 ** (coding.depth - depth))
        aim = 1 if coding.depth == 8 else 2
        words = ", ".join(f"{kind} {off:.2f}" for kind, off in worst.items())
        what = f"colour bars of {coding.depth} bit through every format, worst, in its codes"
        rows.append(Row(what, f"{aim}", words, max(worst.values()) <= aim))
    return rows


def _viewer_row(folder: Path) -> Row:
    """The viewer's picture of a frame against the rendered one, at the size of the reel, without loss."""
    project, path = _long_reel(folder, 1), folder / "seen.mkv"
    worst = 0
    with Sources.of(Shelf(folder / "shelf")) as sources:
        export_reel(ExportRequest(project=project, path=path, span=(0, 20)), sources, Silent())
        with FilmReader(path) as film:
            for frame in (0, 7, 19):
                plan = plan_at(project, frame, (320, 180), sources.measured)
                seen = bgra_from_picture(carried_out(plan, project.take, sources.films, "draft"))
                worst = max(worst, int(np.abs(seen.astype(int) - bgra_from_picture(film.read(frame))).max()))
    return Row("the viewer's picture against the rendered one", "equal", f"{worst} codes apart at most", worst == 0)


def _loudness_row() -> Row:
    worst, t = 0.0, np.arange(20 * 48_000) / 48_000
    for level in (-36.0, -23.0, -12.0):
        tone = 10 ** (level / 20) * np.sin(2 * np.pi * 1000 * t)
        both = np.repeat(tone[:, None], 2, axis=1).astype(np.float32)
        found = loudness_of(both[at : at + 48_000] for at in range(0, len(both), 48_000))
        worst = max(worst, abs((found.lufs or -99.0) - level))
    return Row("loudness of the reference tones", "0.1 LU", f"{worst:.2f} LU", worst <= 0.1)


def _hour_rows(folder: Path) -> list[Row]:
    """An hour at 25 frames a second, whose last second clicks: where it is heard, and how memory grows."""
    rate, second = Fraction(25), 25
    at_s = 0.52
    film = numbered_film(folder / "second.mp4", frames=second, size=(64, 36), rate=rate, sound=clicks([at_s], 1.0))
    take = take_in(film)
    shots = tuple(Shot(take_id=take.id, span=take.whole) for _ in range(_HOUR_S))
    project = Project(takes=(take,), reel=Reel(width=64, height=36, rate=rate, shots=shots))
    path, grows = folder / "hour.mp4", _Grows()
    with Sources.of(Shelf(folder / "shelf")) as sources, grows:
        export_reel(ExportRequest(project=project, path=path), sources, Silent())
    heard = np.concatenate([each[:, 0] for each in sound_blocks(path)][-3:])
    last = np.abs(heard[-48_000:])
    late_ms = (int(np.argmax(last)) / 48_000 - at_s) * 1000
    with FilmReader(path) as reader:
        frames = reader.frames
    return [
        Row("an hour: the last second's click against its picture", "5 ms", f"{late_ms:.1f} ms", abs(late_ms) < 5),
        Row("an hour: frames", f"{_HOUR_S * second}", f"{frames}", frames == _HOUR_S * second),
        Row("an hour: memory after a tenth of it, and at most", "flat, 1500 MB", grows.words, grows.flat),
    ]


class _Grows:
    """How large this process is while something runs, looked at four times a second."""

    def __enter__(self) -> "_Grows":
        self._seen: list[int] = []
        self._stop = threading.Event()
        self._thread = threading.Thread(target=self._watch, daemon=True)
        self._thread.start()
        return self

    def __exit__(self, *error: object) -> None:
        self._stop.set()
        self._thread.join()

    def _watch(self) -> None:
        while not self._stop.wait(0.25):
            status = Path("/proc/self/status").read_text(encoding="utf-8")
            self._seen.append(int(status.split("VmRSS:")[1].split()[0]) // 1024)

    @property
    def _early(self) -> int:
        return self._seen[len(self._seen) // 10]

    @property
    def words(self) -> str:
        return f"{self._early} and {max(self._seen)} MB"

    @property
    def flat(self) -> bool:
        return max(self._seen) < min(1500, self._early * 1.25 + 50)
