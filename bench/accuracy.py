"""How true hold and matching are on the demo's true camera."""

from pathlib import Path

import numpy as np

from bench.rows import Row
from clevrin.core.document import Hold, Span
from clevrin.core.hold import held_path, solving_span
from clevrin.core.hold.held import corners_on_source
from clevrin.core.join import Side, rank_pairs
from clevrin.core.media.probe import fingerprint
from clevrin.core.media.reading import FilmReader
from clevrin.core.motion import Trace
from clevrin.core.motion.cache import Shelf
from clevrin.core.motion.registration import RegistrationRequest, register_span
from clevrin.core.progress import Silent
from clevrin.demo.footage_maker import FOOTAGE
from clevrin.demo.judging import quick_rms, true_course, true_motions

_STRETCHES = {"walk-past": (3, 116), "hill": (30, 148), "picnic": (3, 207), "bunting": (32, 118)}


def accuracy(traces: dict[str, Trace], shelf: Shelf) -> list[Row]:
    rows: list[Row] = []
    for name, trace in traces.items():
        if name in _STRETCHES:
            rows.append(_float_row(name, trace))
    rows.append(_lock_off_row(traces["picnic"], shelf))
    rows.extend(_match_rows(traces))
    return rows


def _rms(values: np.ndarray) -> float:
    return float(np.sqrt((values**2).mean()))


def _float_row(name: str, trace: Trace) -> Row:
    path = held_path(trace, Span(first=0, end=trace.frames), Hold(how="float", keep=0.85))
    assert path is not None
    span = Span(first=_STRETCHES[name][0], end=_STRETCHES[name][1])
    centre = (float(trace.centre[0]), float(trace.centre[1]))
    courses = true_course(true_motions(FOOTAGE / f"{name}.truth.json"), centre, path, span)
    before, after = (quick_rms(course, float(trace.rate)) for course in courses)
    limits = np.array([trace.width, trace.height]) / 2
    outside = max(np.abs(corners_on_source(m, trace.width, trace.height) / limits).max() for m in path.src_from_held)
    gone = 1 - after / before
    return Row(
        f"float {name}: shake over 1 Hz gone",
        "90 %, no edge",
        f"{gone * 100:.1f} % ({before:.1f} to {after:.2f} px), keeps {path.least_kept * 100:.0f} %",
        gone > 0.9 and outside <= 1,
    )


def _lock_off_row(trace: Trace, shelf: Shelf) -> Row:
    span = Span(first=30, end=180)
    wide = solving_span(span, trace.frames, float(trace.rate))
    film = FOOTAGE / "picnic.mp4"
    request = RegistrationRequest(path=film, fingerprint=fingerprint(film), span=wide, reference=105)
    path = held_path(trace, span, Hold(how="lock-off"), register_span(request, trace, shelf, Silent()))
    assert path is not None
    centre = (float(trace.centre[0]), float(trace.centre[1]))
    _, held = true_course(true_motions(FOOTAGE / "picnic.truth.json"), centre, path, span)
    residual = _rms(np.hypot(*(held - held.mean(axis=0)).T))
    return Row("lock-off picnic: residual at the centre", "0.4 px", f"{residual:.3f} px RMS", residual < 0.4)


def _match_rows(traces: dict[str, Trace]) -> list[Row]:
    sides = {}
    for name in ("walk-past", "hill", "bunting"):
        with FilmReader(Path(FOOTAGE / f"{name}.mp4")) as reader:
            sides[name] = Side.of(reader, traces[name])
    plain = rank_pairs(sides["walk-past"], sides["hill"])[0]
    turned = rank_pairs(sides["walk-past"], sides["bunting"])[0]
    return [
        Row(
            "match walk-past to hill",
            "137 / 9 +-1",
            f"{plain.out_frame} / {plain.in_frame}, score {plain.score:.0f}",
            abs(plain.out_frame - 137) <= 1 and abs(plain.in_frame - 9) <= 1 and plain.mirror is None,
        ),
        Row(
            "match walk-past to bunting",
            "mirrored",
            f"{turned.mirror}, {turned.out_frame} / {turned.in_frame}, score {turned.score:.0f}",
            turned.mirror == "horizontal",
        ),
    ]
