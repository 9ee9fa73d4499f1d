"""How long things take, as ratios to decoding and encoding alone in the same run, and how much memory."""

import subprocess
import sys
import time
from collections.abc import Callable
from fractions import Fraction
from pathlib import Path

import av
import cv2
import numpy as np

from bench.rows import Row
from clevrin.core.document import Hold, Project, Reel, Shot, Span
from clevrin.core.hold import HeldPath, held_path
from clevrin.core.media.picture import Picture
from clevrin.core.media.reading import FilmReader
from clevrin.core.media.taking_in import take_in
from clevrin.core.media.writing import FilmWriter
from clevrin.core.motion.measuring.measure import TraceRequest, trace_take
from clevrin.core.motion.measuring.registration import Registration
from clevrin.core.motion.trace.trace import Trace
from clevrin.core.progress import Silent
from clevrin.core.render import Sources
from clevrin.core.render.export.export import ExportRequest, export_reel
from clevrin.core.shelf import Shelf
from clevrin.demo.footage_maker import FOOTAGE

_SIZE = (1920, 1080)
_RUNS = 3
_TEN_MINUTES = 18_000


def make_full_hd(path: Path, frames: int) -> Path:
    """The walk past the workshop at 1080p, played to and fro for as long as is asked for."""
    with FilmReader(FOOTAGE / "walk-past.mp4") as reader, FilmWriter(path, rate=Fraction(30), size=_SIZE) as writer:
        turn = 2 * 119
        for k in range(frames):
            at = k % turn
            source = reader.read(at if at < 120 else turn - at)
            y, u, v = (
                cv2.resize(plane, size, interpolation=cv2.INTER_CUBIC)
                for plane, size in zip(source.planes, (_SIZE, (960, 540), (960, 540)), strict=True)
            )
            writer.write(Picture(y=y, u=u, v=v))
    return path


def timed(work: Callable[[], object]) -> float:
    begun = time.perf_counter()
    work()
    return time.perf_counter() - begun


def paired(work: Callable[[], object], baseline: Callable[[], object]) -> tuple[float, float, float]:
    """Medians of both in seconds, and the median of the ratios of runs that follow each other."""
    pairs = [(timed(baseline), timed(work)) for _ in range(_RUNS)]
    return (
        float(np.median([b for _, b in pairs])),
        float(np.median([a for a, _ in pairs])),
        float(np.median([b / a for a, b in pairs])),
    )


def speed(folder: Path) -> list[Row]:
    film = make_full_hd(folder / "hd.mp4", 300)
    return [_trace_row(film, folder), _export_row(film, folder), *_solve_rows(), *_standing_rows(), _memory_row(folder)]


def _trace_row(film: Path, folder: Path) -> Row:
    def decode() -> None:
        with FilmReader(film) as reader:
            for k in range(reader.frames):
                reader.read_luma(k)

    def trace() -> None:
        trace_take(TraceRequest(path=film, fresh=True), Shelf(folder / "fresh"), Silent())

    spent, alone, ratio = paired(trace, decode)
    figures = f"x {ratio:.2f} ({spent:.1f} s / {alone:.1f} s)"
    return Row("trace 1080p / decoding alone", "2", figures, ratio <= 2)


def _export_row(film: Path, folder: Path) -> Row:
    take = take_in(film)
    shot = Shot(take_id=take.id, span=take.span, hold=Hold(how="float"))
    project = Project(takes=(take,), reel=Reel(rate=take.facts.rate, width=1920, height=1080, shots=(shot,)))
    shelf = Shelf(folder / "measured")
    sources = Sources.of(shelf)
    sources.measured.measure(take, Silent())

    def export() -> None:
        export_reel(ExportRequest(project=project, path=folder / "held.mp4"), sources, Silent())

    def alone() -> None:
        with FilmReader(film) as reader, FilmWriter(folder / "plain.mp4", rate=Fraction(30), size=_SIZE) as writer:
            for k in range(reader.frames):
                writer.write(reader.read(k))

    spent, baseline, ratio = paired(export, alone)
    sources.close()
    figures = f"x {ratio:.2f} ({spent:.1f} s / {baseline:.1f} s)"
    return Row("held export 1080p / decode and encode alone", "1.5", figures, ratio <= 1.5)


def _solve_rows() -> list[Row]:
    """With room to spare, and with a budget that holds the path back all the time."""
    rows = []
    for seconds, target in ((5, 0.1), (60, 1.0)):
        trace = _shaky(seconds * 30)
        whole = Span(first=0, end=trace.frames)
        for words, keep in (("", 0.85), (", tight budget", 0.985)):
            hold = Hold(how="float", keep=keep)
            spent = [timed(lambda t=trace, s=whole, h=hold: held_path(t, s, h)) for _ in range(3)]
            took = float(np.median(spent))
            what = f"solving the held path of {seconds} s{words}"
            rows.append(Row(what, f"{target:g} s", f"{took:.2f} s", took <= target))
    return rows


def _standing_rows() -> list[Row]:
    """A lock-off that has enough room, and one that has too little of it and has to give way now and then."""
    rows = []
    for seconds, target in ((5, 0.1), (60, 1.0)):
        trace = _shaky(seconds * 30)
        whole = Span(first=0, end=trace.frames)
        course = np.cumsum(trace.motions[:, :2, 2], axis=0)
        motions = np.repeat(np.eye(3)[None], trace.frames, axis=0)
        motions[:, :2, 2] = course - course[0]
        registered = Registration(reference=0, span=whole, motions=motions, direct=np.ones(trace.frames, bool))

        def held(keep: float, trace=trace, whole=whole, registered=registered) -> HeldPath:
            found = held_path(trace, whole, Hold(how="lock-off", keep=keep), registration=registered)
            assert found is not None
            return found

        enough = held(0.5).least_kept
        for words, keep in (("", 0.5), (", too little room", min(0.99, enough + 0.015))):
            took = float(np.median([timed(lambda keep=keep, held=held: held(keep)) for _ in range(3)]))
            what = f"locking off {seconds} s{words}"
            rows.append(Row(what, f"{target:g} s", f"{took:.2f} s", took <= target))
    return rows


def _shaky(frames: int) -> Trace:
    rng = np.random.default_rng(1)
    t = np.arange(frames) / 30
    course = np.zeros((frames, 2))
    for axis in range(2):
        for hz in (0.4, 0.9, 1.7, 2.6, 4.1):
            course[:, axis] += rng.uniform(4, 14) / hz * np.sin(2 * np.pi * hz * t + rng.uniform(0, 6.28))
    motions = np.repeat(np.eye(3)[None], frames, axis=0)
    motions[1:, :2, 2] = np.diff(course, axis=0)
    return Trace(
        width=1920,
        height=1080,
        rate=Fraction(30),
        times_s=t,
        model="similarity",
        motions=motions,
        confidence=np.ones(frames),
        shutter_deg=None,
    )


def _memory_row(folder: Path) -> Row:
    """Peak memory of a process that traces a short film, and one of ten minutes."""
    short = make_full_hd(folder / "short.mp4", 120)
    long = _repeated(short, folder / "long.mp4", _TEN_MINUTES // 120)
    peaks = []
    for film in (short, long):
        code = (
            "import sys\nfrom pathlib import Path\nimport clevrin\n"
            "from clevrin.core.shelf import Shelf\n"
            "from clevrin.core.motion.measuring.measure import TraceRequest, trace_take\n"
            "from clevrin.core.progress import Silent\n"
            "trace_take(TraceRequest(path=Path(sys.argv[1]), fresh=True), Shelf(Path(sys.argv[2])), Silent())\n"
            # Not ru_maxrss: that one begins with what the parent process had.
            "status = Path('/proc/self/status').read_text()\n"
            "print(int(status.split('VmHWM:')[1].split()[0]) // 1024)\n"
        )
        done = subprocess.run(
            [sys.executable, "-c", code, film, folder / "mem"], capture_output=True, text=True, check=True
        )
        peaks.append(int(done.stdout))
    return Row("memory while tracing 1080p, 4 s and 10 min", "500 MB", f"{peaks[0]} and {peaks[1]} MB", peaks[1] < 500)


def _repeated(film: Path, path: Path, times: int) -> Path:
    """A film played over and over, copied without encoding it again."""
    with av.open(str(film)) as source, av.open(str(path), "w") as target:
        packets = [p for p in source.demux(video=0) if p.size]
        stream = target.add_stream_from_template(source.streams.video[0])
        length = round(120 / 30 / packets[0].time_base)
        places = [(p.pts, p.dts) for p in packets]
        for turn in range(times):
            for packet, (pts, dts) in zip(packets, places, strict=True):
                packet.pts, packet.dts, packet.stream = pts + turn * length, dts + turn * length, stream
                target.mux(packet)
    return path
