"""Gable Hill as a 2.5-D world: a backdrop at infinity and flat panels in front of it, seen by a pinhole camera."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from functools import cache

import cv2
import numpy as np
from numpy.typing import NDArray

from clevrin.core.motion.geometry.models import translation
from clevrin.demo import paint
from clevrin.demo.camera import Lens, Pose

Image = NDArray[np.float32]

_PX_PER_RAD = 1152.0
_TAN_TOP, _TAN_BOTTOM = 0.85, 0.6
_NEAREST_M = 0.6
_MIST_LIGHT = 30_000.0

WORKSHOP_Z = 9.0
"""Distance of the workshop fronts in metres: the plane that counts as background in takes of them."""
GROUND_Y = 1.6


@dataclass(frozen=True, kw_only=True, eq=False)
class Panel:
    """A flat texture in the world: `corner` is its pixel (0, 0); `along` and `down` are metres per pixel."""

    texture: paint.Light
    corner: tuple[float, float, float]
    along: tuple[float, float, float]
    down: tuple[float, float, float]


def upright(texture: paint.Light, *, left: float, foot: float, z: float, height: float) -> Panel:
    """A panel that faces the viewer at distance `z`, its foot at world height `foot` (y down), in metres."""
    per_px = height / texture.shape[0]
    return Panel(texture=texture, corner=(left, foot - height, z), along=(per_px, 0, 0), down=(0, per_px, 0))


Actor = Callable[[float], Panel]
"""Something that moves: time in seconds to the panel as it then stands."""


@dataclass(frozen=True, kw_only=True, eq=False)
class World:
    """What there is to see: still panels and actors, drawn in order (far ones first) over the backdrop.

    `mist` is the share of the light that is mist's own, the same everywhere; without `clouds` the sky is plain; where
    it is `dark` there is nothing behind the layers.
    """

    layers: Sequence[Panel | Actor]
    mist: float = 0.0
    clouds: bool = True
    dark: bool = False

    def expose(self, pose: Pose, t: float, lens: Lens, offset: tuple[float, float]) -> Image:
        """Linear light (h, w, 3) float32, 0 to 65535, at one instant.

        `offset` shifts the sampling positions by a part of a pixel, so that a mean of several exposures is
        smooth at its edges.
        """
        if self.dark:
            image = np.zeros((lens.height, lens.width, 3), np.float32)
        else:
            image = _sample_backdrop(_backdrop(self.clouds), pose, lens, offset)
        for layer in self.layers:
            _lay(image, layer(t) if callable(layer) else layer, pose, lens, offset)
        if self.mist:
            image *= 1 - self.mist
            image += self.mist * _MIST_LIGHT
        return image


def alone(world: World, chosen: Sequence[int]) -> World:
    """A world in which the layers of some numbers are white and all before them black: its light is their coverage."""
    made: dict[int, tuple[paint.Light, paint.Light]] = {}

    def told(number: int, layer: Panel | Actor) -> Panel | Actor:
        light = 65535 if number in chosen else 0

        def lit(panel: Panel) -> Panel:
            texture = panel.texture
            if id(texture) not in made:
                made[id(texture)] = texture, _evenly_lit(texture, light)  # kept with it, so that its id stays its own
            return replace(panel, texture=made[id(texture)][1])

        return (lambda t: lit(layer(t))) if callable(layer) else lit(layer)

    first = min(chosen)  # what is behind all of them does not count
    return World(layers=[told(first + k, each) for k, each in enumerate(world.layers[first:])], dark=True)


def _evenly_lit(texture: paint.Light, light: int) -> paint.Light:
    """The same shape, all of it as bright."""
    covered = texture[..., 3:] if texture.shape[2] == 4 else 65535 * texture.any(axis=2, keepdims=True)
    own = (covered.astype(np.uint32) * light // 65535).repeat(3, axis=2)
    return np.concatenate([own, covered], axis=2).astype(np.uint16)


@cache
def _backdrop(clouds: bool) -> paint.Light:
    return paint.backdrop(_PX_PER_RAD, _TAN_TOP, _TAN_BOTTOM, clouds=clouds)


def _sample_backdrop(texture: paint.Light, pose: Pose, lens: Lens, offset: tuple[float, float]) -> Image:
    # The map from picture to cylinder is smooth: it is computed on every 8th pixel and interpolated between
    # (largest error 0.01 px at this focal length), which is ten times quicker.
    step = 8
    nx, ny = -(-lens.width // step) + 2, -(-lens.height // step) + 2
    x = (np.arange(nx) - 0.5) * step - 0.5 + offset[0]
    y = (np.arange(ny) - 0.5) * step - 0.5 + offset[1]
    pixels = np.stack([*np.meshgrid(x, y), np.ones((ny, nx))])
    world_from_pixel = pose.cam_from_world.T @ np.linalg.inv(lens.matrix)
    right, down, away = np.einsum("ij,jhw->ihw", world_from_pixel, pixels)
    columns = (np.arctan2(right, away) + np.pi) * _PX_PER_RAD
    rows = (down / np.hypot(right, away) + _TAN_TOP) * _PX_PER_RAD
    coarse = np.stack([columns, rows], axis=-1).astype(np.float32)
    fine = cv2.resize(coarse, (nx * step, ny * step), interpolation=cv2.INTER_LINEAR)
    fine = fine[step : step + lens.height, step : step + lens.width]
    seen = cv2.remap(texture, fine, None, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
    return seen.astype(np.float32)


def _lay(image: Image, panel: Panel, pose: Pose, lens: Lens, offset: tuple[float, float]) -> None:
    """Draws a panel over `image`, in place."""
    texture, first = panel.texture, 0
    axes = np.column_stack([panel.along, panel.down, np.array(panel.corner) - pose.position])
    picture_from_panel = lens.matrix @ pose.cam_from_world @ axes
    height, width = texture.shape[:2]
    depth = picture_from_panel[2]
    columns = np.arange(width)
    in_front = np.minimum(depth[0] * columns, depth[0] * columns + depth[1] * height) + depth[2] > _NEAREST_M
    if not in_front.any():
        return
    first, last = int(np.argmax(in_front)), int(width - np.argmax(in_front[::-1]))
    corners = np.array([[first, 0, 1], [last, 0, 1], [last, height, 1], [first, height, 1]], float).T
    seen = picture_from_panel @ corners
    seen = seen[:2] / seen[2]
    x0, y0 = np.floor(np.clip(seen.min(axis=1), 0, (lens.width, lens.height))).astype(int)
    x1, y1 = np.ceil(np.clip(seen.max(axis=1) + 1, 0, (lens.width, lens.height))).astype(int)
    if x1 <= x0 or y1 <= y0:
        return
    shift = translation(-x0 - offset[0], -y0 - offset[1])
    patch = cv2.warpPerspective(
        np.ascontiguousarray(texture[:, first:last]),
        shift @ picture_from_panel @ translation(first, 0),
        (int(x1 - x0), int(y1 - y0)),
        flags=cv2.INTER_LINEAR,
        borderMode=cv2.BORDER_CONSTANT,
    )
    window = image[y0:y1, x0:x1]
    if patch.shape[2] == 4:
        window *= 1 - patch[..., 3:].astype(np.float32) / 65535
        window += patch[..., :3]
    else:
        inside = patch.any(axis=2)
        window[inside] = patch[inside]


def workshop_layers() -> list[Panel | Actor]:
    """The workshop fronts, the grass before them, and the fence near the camera."""
    density = 128.0
    front = paint.workshop(int(30 * density), int(6.6 * density), density)
    grass = paint.meadow(36 * 96, int(5.4 * 28))
    fence = paint.fence(30 * 200, int(0.75 * 200), 200.0)
    return [
        upright(front, left=-16.0, foot=GROUND_Y, z=WORKSHOP_Z, height=6.6),
        Panel(
            texture=grass,
            corner=(-20.0, GROUND_Y, 3.6 + 5.4),
            along=(1 / 96, 0, 0),
            down=(0, 0, -1 / 28),
        ),
        upright(fence, left=-16.0, foot=GROUND_Y, z=4.3, height=0.75),
    ]


def walker(*, seed: int, start: tuple[float, float], velocity: tuple[float, float], height: float = 1.7) -> Actor:
    """A person who walks over level ground: `start` and `velocity` are (x, z) in metres and metres/second."""
    poses = [paint.person(seed, float(np.sin(2 * np.pi * k / 16))) for k in range(16)]
    width = height * 160 / 420

    def at(t: float) -> Panel:
        x, z = start[0] + velocity[0] * t, start[1] + velocity[1] * t
        bob = 0.025 * abs(np.sin(2 * np.pi * 0.95 * t + seed))
        texture = poses[int(16 * 0.95 * t + seed) % 16]
        # The panel turns towards a viewer at the origin, so that walkers to the side are seen from the front.
        away = np.hypot(x, z)
        side = np.array([z, 0, -x]) / away
        corner = np.array([x, GROUND_Y - height - bob, z]) - side * width / 2
        per_px = height / 420
        return Panel(texture=texture, corner=tuple(corner), along=tuple(side * per_px), down=(0, per_px, 0))

    return at


def carried_cloth(
    *, seed: int, start: tuple[float, float], velocity: tuple[float, float], size: tuple[float, float]
) -> Actor:
    """A painted cloth carried past, `size` (width, height) in metres, its middle at the height of the eyes.

    It sways and bobs with the steps of who carries it, and faces a viewer at the origin.
    """
    texture = paint.cloth(seed, round(size[0] * 420), round(size[1] * 420))

    def at(t: float) -> Panel:
        x, z = start[0] + velocity[0] * t, start[1] + velocity[1] * t
        away = np.hypot(x, z)
        side = np.array([z, 0, -x]) / away
        lean = np.radians(3.0 * np.sin(2 * np.pi * 0.8 * t))
        along = side * np.cos(lean) + np.array([0, np.sin(lean), 0])
        down = -side * np.sin(lean) + np.array([0, np.cos(lean), 0])
        middle = np.array([x, 0.03 * np.sin(2 * np.pi * 1.7 * t), z])
        corner = middle - along * size[0] / 2 - down * size[1] / 2
        return Panel(texture=texture, corner=tuple(corner), along=tuple(along / 420), down=tuple(down / 420))

    return at


def flying_kite(*, seed: int, azimuth_deg: float, lift: float, distance: float = 40.0, size: float = 5.0) -> Actor:
    """A kite in the sky that sways on its string; `lift` is the tangent of its elevation."""
    texture = paint.kite(seed)
    rng = np.random.default_rng(seed)
    phases, rates = rng.uniform(0, 6.28, 3), rng.uniform(0.15, 0.5, 3)

    def at(t: float) -> Panel:
        sway = np.sin(2 * np.pi * rates * t + phases)
        azimuth = np.radians(azimuth_deg + 0.7 * sway[0])
        lean = np.radians(9 * sway[1])
        side = np.array([np.cos(azimuth), 0, -np.sin(azimuth)])
        along = side * np.cos(lean) + np.array([0, np.sin(lean), 0])
        down = -side * np.sin(lean) + np.array([0, np.cos(lean), 0])
        height = distance * lift * (1 + 0.02 * sway[2])
        middle = distance * np.array([np.sin(azimuth), 0, np.cos(azimuth)]) - np.array([0, height, 0])
        per_px = size / 620
        corner = middle - (110 * along + 110 * down) * per_px
        return Panel(texture=texture, corner=tuple(corner), along=tuple(along * per_px), down=tuple(down * per_px))

    return at
