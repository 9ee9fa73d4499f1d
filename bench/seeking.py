"""How soon a frame is there: seeking in 1080p and 4K, and scrubbing in a 960-wide view with and without a proxy."""

import time
from collections.abc import Callable
from pathlib import Path

import numpy as np
from PySide6.QtWidgets import QApplication

from bench.rows import Row
from bench.speed import make_full_hd
from bench.window import run_until
from clevrin.core.media.proxies import ProxyRequest, ProxyShelf
from clevrin.core.media.reading import FilmReader
from clevrin.core.media.taking_in import take_in
from clevrin.core.progress import Silent
from clevrin.core.render.sources import Sources
from clevrin.desk.playback.player import Player
from clevrin.desk.playback.programmes import take_programme

_VIEW = (960, 540)
_FRAMES = 600
_ASKED = 40


def seeking_rows(application: QApplication, folder: Path) -> list[Row]:
    film = make_full_hd(folder / "seek.mp4", _FRAMES)
    take = take_in(film)
    chance = np.random.default_rng(2)
    rows = []
    with FilmReader(film) as reader:
        places = chance.integers(0, _FRAMES, _ASKED)
        rows.append(
            _row("seeking at random, 1080p, entries 250 apart", "", [_timed(reader.read, int(k)) for k in places])
        )
        backward = [_timed(reader.read, k) for k in range(_FRAMES - 1, _FRAMES - 121, -1)]
        rows.append(_row("stepping backward", "", backward))
        reader.read(0)
        rows.append(_row("to the last frame", "", [_timed(reader.read, _FRAMES - 1)]))
    rows.append(_row("scrubbing without a proxy, to the picture", "", _scrubbed(application, folder, film)))
    begun = time.perf_counter()
    shelf = ProxyShelf(folder / "proxies")
    shelf.make(ProxyRequest(path=film, fingerprint=take.fingerprint, frames=_FRAMES), Silent())
    spent = time.perf_counter() - begun
    rows.append(Row("making the proxy", "", f"{spent:.1f} s for {_FRAMES / 30:.0f} s"))
    rows.append(_row("scrubbing with a proxy, to the picture", "80 ms", _scrubbed(application, folder, film), 80))
    return rows


def _scrubbed(application: QApplication, folder: Path, film: Path) -> list[float]:
    """From a wish, at a random place as a hand makes it, to the picture in the window's thread."""
    take = take_in(film)
    player = Player(lambda: Sources.of(proxies=ProxyShelf(folder / "proxies")))
    shown: list[int] = []
    player.shown.connect(lambda frame, _: shown.append(frame))
    player.load(take_programme(take, _VIEW), 0)
    run_until(application, lambda: bool(shown))
    times = []
    for k in np.random.default_rng(3).integers(0, _FRAMES, _ASKED):
        shown.clear()
        begun = time.perf_counter()
        player.seek(int(k), scrubbing=True)
        while int(k) not in shown:
            application.processEvents()
            time.sleep(0.0005)
        times.append(time.perf_counter() - begun)
    player.close()
    return times


def _timed(work: Callable[[int], object], frame: int) -> float:
    begun = time.perf_counter()
    work(frame)
    return time.perf_counter() - begun


def _row(what: str, target: str, times: list[float], most_ms: float | None = None) -> Row:
    worst, usual = max(times) * 1000, float(np.median(times)) * 1000
    return Row(what, target, f"worst {worst:.0f}, median {usual:.0f} ms", None if most_ms is None else worst < most_ms)
