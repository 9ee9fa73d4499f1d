"""What leaving areas out of measuring does: nothing left out, a box, what covers truly, against the true camera.

The plain way beside it in the same run: the library's corners, flow and robust fit, told nothing.
"""

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray

from bench.cutting import box_about
from bench.depth.figures import figure_films
from bench.depth.photographs import FULL, collage
from bench.plain import plain_motions
from bench.rows import Row
from clevrin.core.document import Area, AreaPart, Drawn, Filmed, Outline, Take
from clevrin.core.media.grey_writing import GreyWriter
from clevrin.core.media.picture import picture_from_rgb
from clevrin.core.media.probe import fingerprint
from clevrin.core.media.taking_in import take_in
from clevrin.core.media.writing import FilmWriter
from clevrin.core.motion.geometry.models import apply
from clevrin.core.progress import Silent
from clevrin.core.render.measured.measurement_store import MeasurementStore
from clevrin.core.shelf import Shelf
from clevrin.demo.footage_maker import FILMED, FOOTAGE
from clevrin.demo.judging import true_coverage, true_motions

Numbers = NDArray[np.float64]
Cover = NDArray[np.float32]

_FRAMES, _SIZE = 60, (640, 360)
_GOES, _FROM, _SHAKE_PX = np.array([-2.5, 0.7]), np.array([110.0, -20.0]), np.array([3.0, 2.0])
_NO_HARM = 1.05
"""Leaving something out may cost so much where it had not misled."""


@dataclass(frozen=True, kw_only=True)
class _Moving:
    """A film in which something moves by itself: how much of a frame that covers, and the true motions (n, 3, 3)."""

    name: str
    film: Path
    covers: Callable[[int], Cover]
    true: Numbers


def leaving_out_rows(films: Path) -> list[Row]:
    store = MeasurementStore(Shelf(films / "left out"))
    return [_row(each, store, films) for each in (*_drawn(), _cloth(films), *_photographed(films))]


def _drawn() -> Iterator[_Moving]:
    """A cloth that is carried before the camera, and somebody who walks."""
    for name, layer in (("parade", 10), ("picnic", 9)):
        yield _Moving(
            name=f"drawn, {name}",
            film=FOOTAGE / f"{name}.mp4",
            covers=lambda frame, name=name, layer=layer: true_coverage(FILMED[name], (layer,), frame),
            true=true_motions(FOOTAGE / f"{name}.truth.json"),
        )


def _photographed(films: Path) -> Iterator[_Moving]:
    for film in figure_films():
        true = film.place.motions(film.place.followed)
        yield _Moving(name=f"with depth, {film.name}", film=film.made(films), covers=film.true, true=true)


def _cloth(films: Path) -> _Moving:
    """A photographed cloth that goes by itself over two thirds of a picture of photographed ground."""
    path = films / "cloth.mp4"
    camera = np.cumsum(np.random.default_rng(7).normal(size=(_FRAMES, 2)) * _SHAKE_PX, axis=0)

    def cover(frame: int) -> Cover:
        at = _shift(_FROM + _GOES * frame)
        return np.asarray(cv2.warpAffine(np.ones((400, 430), np.float32), at, _SIZE))

    if not path.exists():
        ground, cloth = (255 * np.sqrt(collage(FULL, 2, 2, seed)) for seed in (3, 4))
        with FilmWriter(path, rate=Fraction(25), size=_SIZE, quality=12) as writer:
            for frame in range(_FRAMES):
                behind = cv2.warpAffine(ground, _shift(camera[frame] - 150), _SIZE)
                before = cv2.warpAffine(cloth, _shift(_FROM + _GOES * frame - 60), _SIZE)
                share, noise = cover(frame), np.random.default_rng(frame).normal(size=_SIZE[::-1])
                grey = (before * share + behind * (1 - share) + noise).clip(0, 255).astype(np.uint8)
                writer.write(picture_from_rgb(np.repeat(grey[..., None], 3, axis=2)))
    true = np.tile(np.eye(3), (_FRAMES, 1, 1))
    true[:, :2, 2] = np.diff(camera, axis=0, prepend=camera[:1])
    return _Moving(name="photographed, a cloth", film=path, covers=cover, true=true)


def _shift(by: Numbers) -> Numbers:
    return np.array([[1, 0, by[0]], [0, 1, by[1]]])


def _row(moving: _Moving, store: MeasurementStore, films: Path) -> Row:
    take = take_in(moving.film)
    covers = [moving.covers(frame) for frame in range(take.facts.frames)]
    off = {"nothing": _off(store, take, moving)}
    for name, part in (("box", _boxes(covers)), ("cover", _filmed(moving, covers, films))):
        if part is not None:
            area = Area(id="apart", name="apart", parts=(AreaPart(of=part),), left_out=True)
            off[name] = _off(store, take.changed(areas=(area,)), moving)
    plain = _missed(plain_motions(moving.film), moving, take)
    best = min(off["nothing"], plain)
    words = ", ".join(f"{name} {value:.2f}" for name, value in off.items())
    share = float(np.mean([each.mean() for each in covers]))
    return Row(
        f"left out, {moving.name} ({share:.0%} of the picture): RMS px",
        "no worse",
        f"{words}; plain {plain:.2f}",
        off["cover"] <= best * _NO_HARM,
    )


def _off(store: MeasurementStore, take: Take, moving: _Moving) -> float:
    return _missed(store.measure(take, Silent()).motions, moving, take)


def _missed(motions: Numbers, moving: _Moving, take: Take) -> float:
    """RMS distance over a grid by which steps from frame to frame miss."""
    x, y = np.meshgrid(np.linspace(0, take.facts.width - 1, 5), np.linspace(0, take.facts.height - 1, 5))
    grid = np.column_stack([x.ravel(), y.ravel()])
    pairs = zip(motions[1:], moving.true[1:], strict=True)
    return float(np.sqrt(np.mean([((apply(m, grid) - apply(t, grid)) ** 2).sum(axis=1) for m, t in pairs])))


def _boxes(covers: list[Cover]) -> Drawn | None:
    """A box about what covers, drawn anew on every frame on which it is seen."""
    outlines = []
    for frame, cover in enumerate(covers):
        if (cover > 0.5).any():
            left, top, right, bottom = box_about(cover)
            outlines.append(Outline(frame=frame, places=((left, top), (right, top), (right, bottom), (left, bottom))))
    return Drawn(shape="box", outlines=tuple(outlines), along="nothing") if outlines else None


def _filmed(moving: _Moving, covers: list[Cover], films: Path) -> Filmed:
    path = films / f"apart-{moving.film.stem}.mkv"
    height, width = covers[0].shape
    path.unlink(missing_ok=True)
    with GreyWriter(path, rate=Fraction(25), size=(width, height)) as writer:
        for cover in covers:
            writer.write(cover)
    return Filmed(name=path.name, path=str(path), fingerprint=fingerprint(path))
