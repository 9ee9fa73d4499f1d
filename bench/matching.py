"""Which of a log's takes goes with which: made-up pairs with known partners, in other scenes, colours and noise.

Beside it the plain way: the mean of a general library's dense flow where it is largest, and the take whose mean is
nearest to it.
"""

import tempfile
from collections.abc import Callable
from dataclasses import dataclass
from itertools import pairwise
from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray

from bench.depth.photographs import FULL, collage
from bench.rows import Row
from clevrin.core.join.cut_candidates import Moves
from clevrin.core.join.match import Side, best_pair
from clevrin.core.media.picture import rgb_from_picture
from clevrin.core.media.reading import FilmReader
from clevrin.core.motion.measuring.measure import TraceRequest, trace_take
from clevrin.core.progress import Silent
from clevrin.core.shelf import Shelf
from tests.films import about, moving_film, shift, texture

_SIZE, _RATE, _FRAMES = (320, 180), 30, 40
_MIDDLE = 700.0
_ANGLES_DEG = (0.0, 22.5, 45.0, 67.5, 90.0)
_WHIPS_WIDTHS_PER_S = (1.5, 2.4, 3.9)
_ROLLS_DEG_PER_S = (170.0, 230.0, 310.0, 420.0, 570.0, 770.0)
_PUSHES_PER_S = (0.9, 1.3, 1.9, -0.9, -1.3, -1.9)
_SKIES = (
    *((120, 165, 215), (215, 225, 235), (235, 170, 110), (200, 110, 130), (60, 80, 120), (25, 25, 30), (150, 150, 150)),
    *((110, 140, 90), (205, 200, 120), (120, 60, 50), (40, 110, 110), (170, 130, 190), (250, 250, 250)),
)
Course = Callable[[float], NDArray[np.float64]]


@dataclass(frozen=True, kw_only=True)
class _Pair:
    """A move that both takes make: where the camera is so long after its peak, in frames; and what sky is over it."""

    kind: str
    course: Course
    sky: tuple[int, int, int] | None = None


def matching_rows() -> list[Row]:
    """How often the partner comes first of all 79 other takes; films and traces take two minutes."""
    pairs = _pairs()
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        paths = [
            _filmed(folder, number, pair, leaving) for number, pair in enumerate(pairs) for leaving in (True, False)
        ]
        shelf = Shelf(folder / "shelf")
        sides, flows = [], []
        for path in paths:
            trace = trace_take(TraceRequest(path=path), shelf, Silent())
            with FilmReader(path) as reader:
                sides.append(Side.having(Moves.of(reader, trace)))
                flows.append(_plain(reader))
        ours, best = _first_ours(sides), _first_plain(np.array(flows))
    rows = []
    for kind in dict.fromkeys(pair.kind for pair in pairs):
        of = [number for number, pair in enumerate(pairs) if pair.kind == kind]
        hits, plain = (sum(found[number] for number in of) for found in (ours, best))
        words = f"{hits} of {len(of)}; plain {plain}"
        rows.append(Row(f"partner first of 79 takes: {kind}", f"{len(of)} of {len(of)}", words, hits == len(of)))
    total = f"{sum(ours)} of {len(pairs)}; plain {sum(best)}"
    rows.append(Row("partner first of 79 takes: all", f"{len(pairs)} of {len(pairs)}", total, all(ours)))
    ahead = sum(ours) >= sum(best)
    rows.append(Row("ahead: the pairs of this, or the plain flow's", "this", "this" if ahead else "plain", ahead))
    return rows


def _pairs() -> list[_Pair]:
    found = []
    for angle in np.radians(_ANGLES_DEG):
        for speed in _WHIPS_WIDTHS_PER_S:
            found.append(_Pair(kind="whips", course=_whip(float(angle), speed * _SIZE[0] / _RATE)))
    for degrees in _ROLLS_DEG_PER_S:
        found.append(_Pair(kind="rolls", course=_roll(degrees / _RATE)))
    for growth in _PUSHES_PER_S:
        found.append(_Pair(kind="pushes", course=_push(growth / _RATE)))
    for sky in _SKIES:
        found.append(_Pair(kind="tilts into what is even", course=_tilt, sky=sky))
    return found


def _whip(angle: float, per_frame: float) -> Course:
    way = np.array([np.cos(angle), -np.sin(angle)])

    def course(t: float) -> NDArray[np.float64]:
        gone = per_frame * 3.0 * np.tanh(t / 3.0)
        return shift(_MIDDLE + way[0] * gone - _SIZE[0] / 2, _MIDDLE + way[1] * gone - _SIZE[1] / 2)

    return course


def _roll(per_frame: float) -> Course:
    def course(t: float) -> NDArray[np.float64]:
        return shift(_MIDDLE - 160, _MIDDLE - 90) @ about((160, 90), per_frame * 3.0 * np.tanh(t / 3.0), 1.0)

    return course


def _push(per_frame: float) -> Course:
    def course(t: float) -> NDArray[np.float64]:
        return shift(_MIDDLE - 160, _MIDDLE - 90) @ about(
            (160, 90), 0.0, 1 / np.exp(per_frame * 4.0 * np.tanh(t / 4.0))
        )

    return course


def _tilt(t: float) -> NDArray[np.float64]:
    """Up into the sky; the incoming take plays it the other way."""
    return shift(_MIDDLE - 160, _MIDDLE - 190 * np.tanh(t / 8.0) - 60)


def _filmed(folder: Path, number: int, pair: _Pair, leaving: bool) -> Path:
    """One of the two takes: the outgoing one has its move near its end, the incoming one near its start."""
    seed = 2 * number + (not leaving)
    rng = np.random.default_rng(1000 + seed)
    world = _world(seed, rng)
    if pair.sky is not None:
        shade = np.linspace(0.85, 1.0, len(world) // 2)[:, None, None]
        world[: len(world) // 2] = (shade * np.array(pair.sky)).clip(0, 255)
    peak = _FRAMES - 13 if leaving else 12
    turn = -1 if pair.sky is not None and not leaving else 1
    path = folder / f"{number:02d}-{'out' if leaving else 'in'}.mp4"
    noise = float(rng.uniform(0.5, 3.0))
    moving_film(
        path,
        lambda t: pair.course(turn * (t - peak)),
        frames=_FRAMES,
        size=_SIZE,
        shutter=0.5,
        seed=seed,
        noise=noise,
        world=world,
    )
    return path


def _world(seed: int, rng: np.random.Generator) -> NDArray[np.uint8]:
    """What is filmed: painted, or photographs; each with colours of its own."""
    if seed % 2:
        board = collage(FULL, 3, 3, seed)[:1400, :1400] ** (1 / 2.2) * 255
        world = np.repeat(board[..., None], 3, axis=2)
    else:
        world = texture(seed).astype(np.float32)
    coloured = 255 * (world / 255) ** rng.uniform(0.8, 1.25) * rng.uniform(0.75, 1.1, 3)
    return np.asarray(coloured.clip(0, 255).astype(np.uint8))


def _first_ours(sides: list[Side]) -> list[bool]:
    """Of each outgoing take (even numbers), whether the best of all others is its partner."""
    found = []
    for number in range(0, len(sides), 2):
        scores = [_best(sides[number], each) if other != number else -1.0 for other, each in enumerate(sides)]
        found.append(int(np.argmax(scores)) == number + 1)
    return found


def _best(outgoing: Side, incoming: Side) -> float:
    best = best_pair(outgoing, incoming)
    return best.score if best is not None else 0.0


def _plain(reader: FilmReader) -> NDArray[np.float64]:
    """The mean flow between two frames where it is largest, folded by mirroring."""
    flow = cv2.DISOpticalFlow.create(cv2.DISOPTICAL_FLOW_PRESET_FAST)
    seen = (rgb_from_picture(reader.read(frame)) for frame in range(_FRAMES))
    frames = [cv2.cvtColor(cv2.resize(each, (160, 90)), cv2.COLOR_RGB2GRAY) for each in seen]
    means = [flow.calc(a, b, None).mean(axis=(0, 1)) for a, b in pairwise(frames)]
    return np.abs(max(means, key=lambda each: float(np.hypot(*each)))).astype(np.float64)


def _first_plain(flows: NDArray[np.float64]) -> list[bool]:
    found = []
    for number in range(0, len(flows), 2):
        apart = np.hypot(*(flows - flows[number]).T)
        apart[number] = np.inf
        found.append(int(np.argmin(apart)) == number + 1)
    return found
