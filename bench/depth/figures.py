"""Somebody who walks in a place with depth, all of it photographs, in colour; how much is covered is known."""

from collections.abc import Iterator
from dataclasses import dataclass, replace
from functools import cache
from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray

from bench.depth.films import orbit, slider, walk
from bench.depth.photographs import FULL, Light, collage
from bench.depth.places import Board, Film, coded, facing
from clevrin.core.media.picture import picture_from_rgb
from clevrin.core.media.writing import FilmWriter
from clevrin.demo import paint

_FEET_Y, _HEIGHT_M = 1.5, 1.55
_STRIDE_HZ = 0.95
_HUES = {
    "wall": (1.0, 0.86, 0.72),
    "ground": (0.72, 1.0, 0.62),
    "box": (0.66, 0.8, 1.0),
    "post": (1.0, 0.75, 0.6),
    "figure": (0.95, 0.7, 0.9),
}


@dataclass(frozen=True, kw_only=True)
class FigureFilm:
    """A place that somebody crosses: `speed` metres a second, at distance `z`."""

    name: str
    place: Film
    z: float
    start: float
    speed: float
    seed: int

    @property
    def frames(self) -> int:
        return self.place.frames

    def made(self, folder: Path) -> Path:
        """The film in a folder, filmed where it is not there."""
        path = folder / f"{self.name}.mp4"
        if not path.exists():
            self._write(path)
        return path

    def true(self, frame: int) -> NDArray[np.float32]:
        """(h, w) 0 to 1: how much of each pixel the figure covers, over the open shutter."""
        boards = self._boards(frame)
        number = next(k for k, each in enumerate(boards) if each.name == "figure")
        lit = [replace(each, texture=np.full_like(each.texture, float(each.name == "figure"))) for each in boards]
        return replace(self.place, boards=tuple(lit[number:]), behind=0.0).light(frame)

    def _write(self, path: Path) -> None:
        size = self.place.lens.width, self.place.lens.height
        with FilmWriter(path, rate=self.place.rate, size=size, quality=12, preset="veryfast", threads=2) as writer:
            for frame in range(self.frames):
                light = np.stack([self._light(frame, channel) for channel in range(3)], axis=-1)
                writer.write(picture_from_rgb((255 * coded(light, frame) + 0.5).astype(np.uint8)))

    def _light(self, frame: int, channel: int) -> Light:
        hued = [replace(each, texture=each.texture * _HUES[each.name][channel]) for each in self._boards(frame)]
        return replace(self.place, boards=tuple(hued)).light(frame)

    def _boards(self, frame: int) -> tuple[Board, ...]:
        """The boards of the place and, among them by its distance, the figure as it strides on a frame."""
        rate = float(self.place.rate)
        step = int(16 * _STRIDE_HZ * frame / rate) % 16
        cover = _shape(step)
        width = _HEIGHT_M * cover.shape[1] / cover.shape[0]
        figure = facing(
            "figure",
            _cloth(self.seed)[: cover.shape[0], : cover.shape[1]],
            middle=(self.start, _FEET_Y - _HEIGHT_M / 2),
            z=self.z,
            width=width,
            cover=cover,
            moves=lambda t: (self.speed * t, 0.02 * abs(float(np.sin(2 * np.pi * _STRIDE_HZ * t))), 0.0),
        )
        far = [each for each in self.place.boards if each.corner[2] > self.z or each.name == "ground"]
        return (*far, figure, *(each for each in self.place.boards if each not in far))


@cache
def _shape(step: int) -> Light:
    person = paint.person(3, float(np.sin(2 * np.pi * step / 16)))
    return cv2.resize(person[..., 3].astype(np.float32) / 65535, None, fx=1.5, fy=1.5, interpolation=cv2.INTER_LINEAR)


@cache
def _cloth(seed: int) -> Light:
    return collage(FULL, 1, 2, seed + 40)


def figure_films() -> Iterator[FigureFilm]:
    """Three places that nothing was tuned to: a slider, on foot, round a box."""
    yield FigureFilm(name="figure-slider", place=slider(61, 60), z=4.4, start=-1.2, speed=0.9, seed=61)
    yield FigureFilm(name="figure-walk", place=walk(62, 60), z=4.6, start=1.3, speed=-0.8, seed=62)
    yield FigureFilm(name="figure-orbit", place=orbit(63, 60), z=4.8, start=-0.9, speed=0.5, seed=63)
