"""A place made of flat boards before a pinhole camera, filmed with an open shutter, and what is true of it.

Everything in linear light and one channel. World axes: x right, y down, z away; metres. A board's truth is the mean
over the open shutter: where a point of it was on the average of the instants that were rendered.
"""

import tempfile
from collections.abc import Callable
from dataclasses import dataclass, field, replace
from fractions import Fraction
from functools import cached_property
from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray

from bench.depth.photographs import Light
from clevrin.core.media.picture import Picture
from clevrin.core.media.writing import FilmWriter
from clevrin.core.motion.geometry.models import apply
from clevrin.demo.camera import Lens
from clevrin.demo.camera import Path as Course

Numbers = NDArray[np.float64]
Place = Callable[[float], tuple[float, float, float]]

_FEWEST_SAMPLES, _SAMPLE_EVERY_PX = 5, 1.6
_NEAR_M = 0.15
_POINT_EVERY_PX = 60.0
FAR = "what is far"
"""The name of what is infinitely far, in place of a board's: all there is for a camera that only turns."""
_READ_NOISE, _SHOT_NOISE = 0.0015, 0.00006


@dataclass(frozen=True, kw_only=True, eq=False)
class Board:
    """A flat texture: `corner` is its pixel (0, 0), `along` and `down` metres per pixel; `cover` (h, w), None: all.

    `moves` gives by how much it has moved from there at a time, None where it stands still.
    """

    name: str
    texture: Light
    corner: tuple[float, float, float]
    along: tuple[float, float, float]
    down: tuple[float, float, float]
    cover: Light | None = None
    moves: Place | None = None

    def axes(self, t: float) -> Numbers:
        """World from texture pixels: (3, 3) for (column, row, 1)."""
        moved = np.zeros(3) if self.moves is None else np.array(self.moves(t))
        return np.column_stack([self.along, self.down, np.array(self.corner) + moved])


def facing(
    name: str,
    texture: Light,
    *,
    middle: tuple[float, float],
    z: float,
    width: float,
    cover: Light | None = None,
    moves: Place | None = None,
) -> Board:
    """A board that faces the camera at distance `z`."""
    per_px = width / texture.shape[1]
    height = texture.shape[0] * per_px
    return Board(
        name=name,
        texture=texture,
        corner=(middle[0] - width / 2, middle[1] - height / 2, z),
        along=(per_px, 0.0, 0.0),
        down=(0.0, per_px, 0.0),
        cover=cover,
        moves=moves,
    )


@dataclass(frozen=True, kw_only=True, eq=False)
class Film:
    """A film of boards, far ones first. `followed` is the board that covers most of the picture."""

    name: str
    boards: tuple[Board, ...]
    course: Course
    followed: str
    frames: int = 90
    rate: Fraction = Fraction(30)
    shutter_deg: float = 180.0
    lens: Lens = field(default_factory=lambda: Lens(width=1280, height=720, focal_px=1100.0))
    behind: float = 0.25

    def _seen(self, board: Board, t: float, offset: tuple[float, float] = (0.0, 0.0)) -> Numbers:
        """Picture from texture pixels at an instant."""
        pose = self.course(t)
        axes = board.axes(t)
        axes[:, 2] -= pose.position
        shift = np.array([[1, 0, offset[0]], [0, 1, offset[1]], [0, 0, 1.0]])
        return shift @ self.lens.matrix @ pose.cam_from_world @ axes

    def instants(self, frame: int) -> Numbers:
        """The instants that are rendered of a frame, in seconds: a sample at most every few pixels of movement."""
        half = self.shutter_deg / 720
        ends = [(frame - half) / float(self.rate), (frame + half) / float(self.rate)]
        reach = 0.0
        for board in self.boards:
            grid = _grid(board.texture.shape)
            first, last = (_visible(self._seen(board, t), grid) for t in ends)
            inside = ((first > 0) & (first < (self.lens.width, self.lens.height))).all(axis=1)
            way = np.hypot(*(last - first)[inside].T)
            reach = max(reach, float(np.nanmax(way)) if np.isfinite(way).any() else 0.0)
        count = max(_FEWEST_SAMPLES, int(np.ceil(reach / _SAMPLE_EVERY_PX)))
        share = (2 * np.arange(count) + 1) / count - 1
        return (frame + half * share) / float(self.rate)

    def light(self, frame: int) -> Light:
        """An exposed frame without noise: (h, w) float32."""
        size = self.lens.width, self.lens.height
        instants = self.instants(frame)
        ranks = np.argsort(np.argsort((np.arange(len(instants)) * 0.618) % 1))
        total = np.zeros(size[::-1], np.float32)
        for k, t in enumerate(instants):
            # A part of a pixel for each instant, so that edges are smooth; their mean is nought.
            offset = ((k + 0.5) / len(instants) - 0.5, (ranks[k] + 0.5) / len(instants) - 0.5)
            image = np.full(size[::-1], self.behind, np.float32)
            for board in self.boards:
                _lay(image, board, self._seen(board, float(t), offset))
            total += image
        return total / len(instants)

    def write(self, folder: Path) -> Path:
        """Films it: `NAME.mp4` in a folder; the same film gives the same bytes."""
        path = folder / f"{self.name}.mp4"
        size = self.lens.width, self.lens.height
        grey = np.full((size[1] // 2, size[0] // 2), 128, np.uint8)
        with FilmWriter(path, rate=self.rate, size=size, quality=8, preset="veryfast", threads=2) as writer:
            for frame in range(self.frames):
                writer.write(Picture(y=_developed(self.light(frame), frame), u=grey, v=grey))
        return path

    def made(self, folder: Path) -> Path:
        """The film in a folder, filmed where it is not there; the folder may be shared by several who ask."""
        path = folder / f"{self.name}.mp4"
        if not path.exists():
            with tempfile.TemporaryDirectory(dir=folder) as own:
                self.write(Path(own)).replace(path)
        return path

    def maps(self, name: str) -> Numbers:
        """(frames, 3, 3): picture from a board's texture pixels, the mean over the open shutter of each frame."""
        return self._maps[name]

    @cached_property
    def _maps(self) -> dict[str, Numbers]:
        found: dict[str, list[Numbers]] = {board.name: [] for board in self.boards} | {FAR: []}
        for frame in range(self.frames):
            instants = self.instants(frame)
            turns = [self.lens.matrix @ self.course(float(t)).cam_from_world for t in instants]
            found[FAR].append(_mean_map(turns, self.lens))
            for board in self.boards:
                found[board.name].append(_mean_map([self._seen(board, float(t)) for t in instants], self.lens))
        return {name: np.array(maps) for name, maps in found.items()}

    def motions(self, name: str) -> Numbers:
        """(frames, 3, 3): the true homographies of a board, previous frame to each; the first is the identity."""
        maps = self.maps(name)
        steps = np.concatenate([np.eye(3)[None], maps[1:] @ np.linalg.inv(maps[:-1])])
        return steps / steps[:, 2:, 2:]

    @cached_property
    def points(self) -> tuple[Numbers, NDArray[np.bool_]]:
        """Places (frames, n, 2) of points of all that stands still, and where each is seen (frames, n)."""
        places, seen = [], []
        for number, board in enumerate(self.boards):
            if board.moves is not None:
                continue
            maps = self.maps(board.name)
            texture = np.array(board.texture.shape[::-1])
            scale = float(np.median(np.sqrt(np.abs(np.linalg.det(maps[:, :2, :2] / maps[:, 2:, 2:])))))
            step = max(4.0, _POINT_EVERY_PX / max(1e-6, scale))
            grid = np.stack(np.meshgrid(*(np.arange(step / 2, n, step) for n in texture)), axis=-1).reshape(-1, 2)
            if board.cover is not None:
                at = np.round(grid).astype(int)
                grid = grid[board.cover[at[:, 1].clip(0, texture[1] - 1), at[:, 0].clip(0, texture[0] - 1)] > 0.9]
            each = np.array([_visible(m, grid) for m in maps])
            inside = ((each >= 0) & (each <= (self.lens.width - 1, self.lens.height - 1))).all(axis=2)
            for frame in range(self.frames):
                for nearer in self.boards[number + 1 :]:
                    inside[frame] &= ~self.covers(nearer, frame, each[frame])
            places.append(each)
            seen.append(inside)
        return np.concatenate(places, axis=1), np.concatenate(seen, axis=1)

    def covers(self, board: Board, frame: int, at: Numbers) -> NDArray[np.bool_]:
        """(n,): which places (n, 2) of a frame a board covers, if nothing is before it."""
        with np.errstate(all="ignore"):
            on = np.nan_to_num(apply(np.linalg.inv(self.maps(board.name)[frame]), at), nan=-1e6).clip(-1e6, 1e6)
        height, width = board.texture.shape
        inside = (on[:, 0] > -4) & (on[:, 1] > -4) & (on[:, 0] < width + 4) & (on[:, 1] < height + 4)
        if board.cover is None:
            return inside
        spots = np.round(on).astype(int).clip(0, (width - 1, height - 1))
        return inside & (board.cover[spots[:, 1], spots[:, 0]] > 0.1)

    def share_of(self, frame: int) -> dict[str, float]:
        """How much of the picture each board covers in a frame."""
        x, y = np.meshgrid(np.arange(8, self.lens.width, 16), np.arange(8, self.lens.height, 16))
        at = np.column_stack([x.ravel(), y.ravel()]).astype(float)
        left, shares = np.ones(len(at), bool), {}
        for board in reversed(self.boards):
            here = self.covers(board, frame, at) & left
            shares[board.name] = float(here.mean())
            left &= ~here
        return shares


def _grid(shape: tuple[int, ...]) -> Numbers:
    y, x = np.meshgrid(np.linspace(0, shape[0] - 1, 7), np.linspace(0, shape[1] - 1, 13), indexing="ij")
    return np.column_stack([x.ravel(), y.ravel()])


def _visible(picture_from_texture: Numbers, points: Numbers) -> Numbers:
    """Where points (n, 2) of a texture are in the picture, NaN where they are not before the camera."""
    seen = np.column_stack([points, np.ones(len(points))]) @ picture_from_texture.T
    with np.errstate(all="ignore"):
        places: Numbers = np.where(seen[:, 2:] > _NEAR_M, seen[:, :2] / seen[:, 2:], np.nan)
    return places


def _mean_map(maps: list[Numbers], lens: Lens) -> Numbers:
    """The homography that comes nearest to the mean place, over some instants, of all that the picture shows."""
    middle = maps[len(maps) // 2]
    x, y = np.meshgrid(np.linspace(0, lens.width - 1, 7), np.linspace(0, lens.height - 1, 5))
    at = np.column_stack([x.ravel(), y.ravel()])
    on = apply(np.linalg.inv(middle), at)
    mean = np.mean([apply(m, on) for m in maps], axis=0)
    # From the middle instant's picture to the mean one: nearly nothing, so that a few steps settle it.
    scale = np.array([lens.width / 2, lens.height / 2])
    b, a = at / scale - 1, mean / scale - 1
    found, _ = cv2.findHomography(b, a, 0)
    unit = np.array([[1 / scale[0], 0, -1], [0, 1 / scale[1], -1], [0, 0, 1.0]])
    return np.asarray(np.linalg.inv(unit) @ found @ unit @ middle)


def _lay(image: Light, board: Board, picture_from_texture: Numbers) -> None:
    """Draws a board over an image, in place."""
    depth = picture_from_texture[2]
    (top, bottom), (first, last) = _before_camera(depth, board.texture.shape)
    if last <= first or bottom <= top:
        return
    corners = np.array([[first, top], [last, top], [last, bottom], [first, bottom]], float)
    seen = apply(picture_from_texture, corners)
    size = image.shape[::-1]
    x0, y0 = np.floor(seen.min(axis=0)).clip(0, size).astype(int)
    x1, y1 = np.ceil(seen.max(axis=0) + 1).clip(0, size).astype(int)
    if x1 <= x0 or y1 <= y0:
        return
    move = np.array([[1, 0, -x0], [0, 1, -y0], [0, 0, 1.0]]) @ picture_from_texture
    move = move @ np.array([[1, 0, first], [0, 1, top], [0, 0, 1.0]])
    spot = (int(x1 - x0), int(y1 - y0))
    window = image[y0:y1, x0:x1]
    cover = np.ones_like(board.texture) if board.cover is None else board.cover
    covered = cv2.warpPerspective(
        np.ascontiguousarray(cover[top:bottom, first:last]), move, spot, flags=cv2.INTER_LINEAR
    )
    texture = cv2.warpPerspective(
        np.ascontiguousarray(board.texture[top:bottom, first:last]),
        move,
        spot,
        flags=cv2.INTER_LINEAR,
        borderMode=cv2.BORDER_REPLICATE,
    )
    window *= 1 - covered
    window += texture * covered


def _before_camera(depth: Numbers, shape: tuple[int, ...]) -> tuple[tuple[int, int], tuple[int, int]]:
    """The rows and the columns (from, to) of a texture that are before the camera, all of them together."""
    height, width = shape
    rows = depth[1] * np.arange(height) + depth[2] + min(0.0, depth[0] * width) > _NEAR_M
    if rows.any():
        return (int(np.argmax(rows)), int(height - np.argmax(rows[::-1]))), (0, width)
    columns = depth[0] * np.arange(width) + depth[2] + min(0.0, depth[1] * height) > _NEAR_M
    if columns.any():
        return (0, height), (int(np.argmax(columns)), int(width - np.argmax(columns[::-1])))
    return (0, 0), (0, 0)


def coded(light: Light, seed: int) -> Light:
    """Light with a sensor's noise as code values, 0 to 1."""
    noise = np.random.default_rng(seed).standard_normal(light.shape, np.float32)
    return np.clip(light + noise * np.sqrt(_READ_NOISE**2 + _SHOT_NOISE * light), 0, 1) ** (1 / 2.2)


def _developed(light: Light, seed: int) -> NDArray[np.uint8]:
    """The luma plane of an exposed frame, with a sensor's noise."""
    return (16 + 219 * coded(light, seed) + 0.5).astype(np.uint8)


def halved(film: Film, frames: int) -> Film:
    """The start of a film at half its size, its textures as coarse: for tests."""
    boards = []
    for board in film.boards:
        height, width = board.texture.shape
        size = (width // 2, height // 2)
        along, down = (np.array(v) * 2 for v in (board.along, board.down))
        cover = None if board.cover is None else cv2.resize(board.cover, size, interpolation=cv2.INTER_AREA)
        texture = cv2.resize(board.texture, size, interpolation=cv2.INTER_AREA)
        boards.append(replace(board, texture=texture, cover=cover, along=tuple(along), down=tuple(down)))
    lens = Lens(width=film.lens.width // 2, height=film.lens.height // 2, focal_px=film.lens.focal_px / 2)
    return replace(film, boards=tuple(boards), lens=lens, frames=frames, name=f"{film.name}-half")
