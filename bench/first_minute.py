"""The first minute of a start with an empty cache, and what the window takes of memory, each in its own process."""

import json
import os
import subprocess
import sys
import tempfile
import time
from pathlib import Path

from bench.rows import Row

_PLAYED_S = 8.0
_MOST_MB = 700


def first_minute_rows(folder: Path) -> list[Row]:
    from bench.speed import make_full_hd

    films = [make_full_hd(folder / f"take {k}.mp4", 105 + 5 * k) for k in range(6)]
    cold = _in_a_process("cold", *films)
    demo = _in_a_process("demo")
    large = _in_a_process("large")
    played = _in_a_process("playing")
    dropped = demo["dropped"] / max(1, demo["dropped"] + demo["shown"])
    return [
        Row("six 1080p films, empty cache: first card with its picture", "", f"{cold['card_s']:.1f} s", None),
        Row("the same: all cards that are seen", "", f"{cold['cards_s']:.1f} s", None),
        Row("the same: first / last trace", "", f"{cold['first_s']:.1f} / {cold['last_s']:.1f} s", None),
        Row(
            "the same: longest stall until all is measured and has proxies",
            "100 ms",
            f"{cold['stall_ms']:.0f} ms",
            cold["stall_ms"] < 100,
        ),
        Row("the same: memory, at most", f"{_MOST_MB} MB", f"{cold['peak_mb']:.0f} MB", cold["peak_mb"] < _MOST_MB),
        Row("demo, empty cache: all cards with their pictures", "", f"{demo['cards_s']:.1f} s", None),
        Row(
            "demo, empty cache: frames dropped while it plays and is measured", "1 %", f"{dropped:.1%}", dropped < 0.01
        ),
        Row("demo after a minute: memory", f"{_MOST_MB} MB", f"{demo['mb']:.0f} MB", demo["mb"] < _MOST_MB),
        Row("500 takes and 300 shots: memory", f"{_MOST_MB} MB", f"{large['mb']:.0f} MB", large["mb"] < _MOST_MB),
        Row(
            "playing 1080p for a minute: memory after 20 s / at the end",
            "flat",
            f"{played['early_mb']:.0f} / {played['mb']:.0f} MB",
            played["mb"] < played["early_mb"] * 1.05,
        ),
    ]


def _in_a_process(what: str, *arguments: object) -> dict:
    with tempfile.TemporaryDirectory() as name:
        env = {**os.environ, **{f"XDG_{kind}_HOME": f"{name}/{kind.lower()}" for kind in ("DATA", "CACHE", "CONFIG")}}
        words = [sys.executable, "-m", "bench.first_minute", what, *map(str, arguments)]
        result = subprocess.run(words, env=env, capture_output=True, text=True, timeout=600)
    if result.returncode:
        raise RuntimeError(result.stderr[-2000:])
    return json.loads(result.stdout.splitlines()[-1])


def _memory_mb(field: str = "VmRSS") -> float:
    for line in Path("/proc/self/status").read_text().splitlines():
        if line.startswith(field):
            return int(line.split()[1]) / 1024
    raise RuntimeError(f"no {field}")


def _pictures(window) -> tuple[int, int]:
    """How many of the cards that are seen have their picture, and how many are seen."""
    cards = window.log.cards.list
    seen = {t.fingerprint for t in window.session.project.takes if cards.place_of(t.id).intersects(cards.rect())}
    return len(seen & window.thumbnails.pictured), len(seen)


def _cold(films: list[Path]) -> dict:
    """Six films dropped on a window that has never seen them."""
    from bench.window import Heart, run_until, the_application
    from clevrin.desk.shell.window import MainWindow

    application = the_application()
    window, heart = MainWindow(), Heart()
    window.show()
    run_until(application, lambda: False, 1.0)
    found: dict[str, float] = {}
    begun = time.monotonic()

    def watch() -> bool:
        now, project = time.monotonic() - begun, window.session.project
        traced = sum(window.measurements.trace(take) is not None for take in project.takes)
        pictures, cards = _pictures(window)
        for name, there in (
            ("card_s", pictures > 0),
            ("cards_s", len(project.takes) == len(films) and pictures == cards),
            ("first_s", traced > 0),
            ("last_s", traced == len(films)),
        ):
            if there:
                found.setdefault(name, now)
        return traced == len(films) and not window.jobs.busy

    with heart.watched():
        window.footage.open_files(films)
        run_until(application, watch, 150)
    window.close()
    return {**found, "stall_ms": heart.longest_ms, "peak_mb": _memory_mb("VmHWM")}


def _demo() -> dict:
    """The demo as it opens for the first time: playing, while it is measured."""
    from bench.window import run_until, the_application
    from clevrin.demo.project import demo_file
    from clevrin.desk.shell.window import MainWindow

    application = the_application()
    window = MainWindow()
    window.show()
    begun = time.monotonic()
    window.projects.open(demo_file(fresh=True))
    window.log.look_at(reel=True)
    run_until(application, lambda: False, 0.4)
    window.player.play()
    cards_s = None
    while time.monotonic() - begun < 60:
        run_until(application, lambda: False, 0.05)
        pictures, cards = _pictures(window)
        if cards_s is None and pictures == cards:
            cards_s = time.monotonic() - begun
        if window.player.playing and time.monotonic() - begun > _PLAYED_S:
            figures = window.player.figures
            window.player.stop()
    memory = _memory_mb()
    window.close()
    return {"cards_s": cards_s, "dropped": figures.dropped, "shown": figures.shown, "mb": memory}


def _large() -> dict:
    from bench.hands import large_project
    from bench.window import run_until, the_application
    from clevrin.core.document.files import save
    from clevrin.desk.shell.window import MainWindow

    application = the_application()
    path = Path(os.environ["XDG_DATA_HOME"]) / "large.clevrin"
    path.parent.mkdir(parents=True, exist_ok=True)
    save(large_project(), path)
    window = MainWindow()
    window.show()
    window.projects.open(path)
    run_until(application, lambda: not window.jobs.busy)
    run_until(application, lambda: False, 5.0)
    for step in ("steady", "join", "log"):
        window.enter_step(step)
        run_until(application, lambda: False, 3.0)
    memory = _memory_mb()
    window.close()
    return {"mb": memory}


def _playing() -> dict:
    """A long 1080p take in a loop."""
    from bench.speed import make_full_hd
    from bench.window import run_until, the_application
    from clevrin.desk.shell.window import MainWindow

    application = the_application()
    film = make_full_hd(Path(os.environ["XDG_DATA_HOME"]).parent / "long.mp4", 300)
    window = MainWindow()
    window.settings.set("proxies", False)
    window.show()
    window.footage.open_files([film])
    run_until(application, lambda: bool(window.session.project.takes) and not window.jobs.busy)
    window.log.set_loops(True)
    window.player.play()
    run_until(application, lambda: False, 20)
    early = _memory_mb()
    run_until(application, lambda: False, 40)
    memory = _memory_mb()
    window.close()
    return {"early_mb": early, "mb": memory}


if __name__ == "__main__":
    _, chosen, *given = sys.argv
    results = {"demo": _demo, "large": _large, "playing": _playing}
    figures_of = _cold([Path(name) for name in given]) if chosen == "cold" else results[chosen]()
    print(json.dumps(figures_of))
