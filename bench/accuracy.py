"""How true hold and matching are on the demo's true camera."""

from pathlib import Path

from bench.rows import Row
from bench.steadying import steadying_rows
from clevrin.core.join import Side, rank_pairs
from clevrin.core.media.reading import FilmReader
from clevrin.core.motion import Trace
from clevrin.core.shelf import Shelf
from clevrin.demo.footage_maker import FOOTAGE


def accuracy(traces: dict[str, Trace], shelf: Shelf) -> list[Row]:
    return [*steadying_rows(traces, shelf), *_match_rows(traces)]


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
