"""Photographic texture: images that scikit-image ships, as linear light, laid side by side into boards."""

from functools import cache
from pathlib import Path

import cv2
import numpy as np
import skimage
from numpy.typing import NDArray

Light = NDArray[np.float32]
"""Linear light (h, w) float32, 0 to 1."""

_FOLDER = Path(skimage.__file__).parent / "data"
FULL = ("astronaut.png", "coffee.png", "chelsea.png", "rocket.jpg", "motorcycle_left.png", "camera.png", "ihc.png")
PLAIN = ("brick.png", "gravel.png", "grass.png")
_TILE = 512


@cache
def photograph(name: str) -> Light:
    """One photograph, square, `_TILE` pixels a side."""
    coded = cv2.imread(str(_FOLDER / name), cv2.IMREAD_GRAYSCALE)
    if coded is None:
        raise FileNotFoundError(f"scikit-image ships no {name}")
    side = min(coded.shape)
    top, left = (coded.shape[0] - side) // 2, (coded.shape[1] - side) // 2
    square = cv2.resize(coded[top : top + side, left : left + side], (_TILE, _TILE), interpolation=cv2.INTER_AREA)
    return (square.astype(np.float32) / 255) ** 2.2


def collage(names: tuple[str, ...], columns: int, rows: int, seed: int) -> Light:
    """A board of photographs in an order that the seed decides, neighbours mirrored where they are the same one."""
    rng = np.random.default_rng(seed)
    board = np.empty((rows * _TILE, columns * _TILE), np.float32)
    for row in range(rows):
        order = rng.permutation(len(names))
        for column in range(columns):
            tile = photograph(names[order[column % len(names)]])
            if (row + column) % 2:
                tile = tile[:, ::-1]
            board[row * _TILE : (row + 1) * _TILE, column * _TILE : (column + 1) * _TILE] = tile
    return board


def leaf_shapes(width: int, height: int, seed: int, leaves: int = 260, size: float = 26.0) -> Light:
    """Coverage (h, w) of many leaves: ellipses at random places and turns."""
    rng = np.random.default_rng(seed)
    shape = np.zeros((height, width), np.uint8)
    for _ in range(leaves):
        middle = (int(rng.uniform(0, width)), int(rng.uniform(0, height)))
        axes = (int(size * rng.uniform(0.7, 1.2)), int(size * rng.uniform(0.25, 0.45)))
        cv2.ellipse(shape, middle, axes, rng.uniform(0, 180), 0, 360, 255, -1, cv2.LINE_AA)
    return shape.astype(np.float32) / 255
