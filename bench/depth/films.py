"""The films with depth. `seed` changes photographs, hands and distances: judge by seeds that nothing was tuned to."""

from fractions import Fraction
from pathlib import Path

import numpy as np

from bench.depth.photographs import FULL, PLAIN, Light, collage, leaf_shapes
from bench.depth.places import FAR, Board, Film, Place, facing
from clevrin.demo.camera import Path as Course
from clevrin.demo.camera import Pose, Shake, ease

_GROUND_Y = 1.5
_STEP_HZ = 1.9


def _pose(x: float = 0.0, y: float = 0.0, z: float = 0.0, yaw: float = 0.0, pitch: float = 0.0, roll: float = 0.0):
    return Pose(x=x, y=y, z=z, yaw=np.radians(yaw), pitch=np.radians(pitch), roll=np.radians(roll))


class _Hand:
    """Unrest of a hand in turn (degrees) and place (metres), with steps where it walks."""

    def __init__(self, seed: int, turn: float = 0.45, place: float = 0.012, steps: float = 0.0) -> None:
        self._turns = [Shake(rms=a * turn, seed=97 * seed + k) for k, a in enumerate((1.0, 0.9, 0.7))]
        self._places = [Shake(rms=place, seed=97 * seed + 10 + k) for k in range(3)]
        self._steps, self._walks = steps, place > 0

    def __call__(self, t: float, course: Pose) -> Pose:
        yaw, pitch, roll = (np.radians(turn(t)) for turn in self._turns)
        x, y, z = (place(t) for place in self._places)
        gait = 2 * np.pi * _STEP_HZ * t
        if self._walks:
            y += self._steps * 0.018 * np.sin(gait)
            x += self._steps * 0.014 * np.sin(gait / 2 + 0.7)
        pitch += self._steps * np.radians(0.25) * np.sin(gait + 0.5)
        yaw += self._steps * np.radians(0.3) * np.sin(gait / 2)
        return Pose(
            x=course.x + x,
            y=course.y + y,
            z=course.z + z,
            yaw=course.yaw + yaw,
            pitch=course.pitch + pitch,
            roll=course.roll + roll,
        )


def _ground(seed: int, rows: int, *, far_z: float, deep: float) -> Board:
    """Gravel and grass on the ground, from `far_z` towards the camera, `deep` metres of it."""
    gravel = collage(PLAIN[1:], 6, rows, seed + 3)
    per_px = deep / gravel.shape[0]
    return Board(
        name="ground",
        texture=gravel,
        corner=(-per_px * gravel.shape[1] / 2, _GROUND_Y, far_z),
        along=(per_px, 0.0, 0.0),
        down=(0.0, 0.0, -per_px),
    )


def _yard(seed: int) -> tuple[Board, ...]:
    """A wall of photographs that fills most of the picture, the ground before it, a box and a post."""
    rng = np.random.default_rng(seed)
    wall_z, box_z, post_z = rng.uniform(5.6, 6.4), rng.uniform(3.2, 3.8), rng.uniform(1.9, 2.3)
    side = 1 if seed % 2 else -1
    return (
        facing("wall", collage(FULL, 4, 2, seed), middle=(0.0, _GROUND_Y - 2.8), z=wall_z, width=11.2),
        _ground(seed, 2, far_z=wall_z, deep=3.6),
        facing("box", collage(FULL, 1, 1, seed + 7), middle=(0.9 * side, 0.95), z=box_z, width=1.1),
        facing("post", collage(PLAIN, 1, 3, seed + 5)[:, :128], middle=(-0.45 * side, 0.3), z=post_z, width=0.19),
    )


def _travelled(t: float) -> Pose:
    return _pose(x=-0.7 + 0.5 * t)


def slider(seed: int, frames: int = 90) -> Film:
    """A perfectly smooth slider past a wall, a box and a post."""
    return Film(name=f"slider-{seed}", boards=_yard(seed), course=_travelled, followed="wall", frames=frames)


def walk(seed: int, frames: int = 120) -> Film:
    """The same passed on foot, the camera in the hand."""
    hand = _Hand(seed, steps=1.0)

    def course(t: float) -> Pose:
        return hand(t, _pose(x=-0.9 + 0.45 * t, z=0.12 * t, yaw=1.5 * np.sin(0.9 * t)))

    return Film(name=f"walk-{seed}", boards=_yard(seed), course=course, followed="wall", frames=frames)


def orbit(seed: int, frames: int = 120) -> Film:
    """Round the box, with the wall far behind it."""
    hand, boards = _Hand(seed, steps=0.5), _yard(seed)
    box = np.array(boards[2].corner) + 256 * np.array(boards[2].along)

    def course(t: float) -> Pose:
        angle = np.radians(-9 + 4.5 * t)
        at = np.array([box[0], 0.0, box[2]]) - box[2] * np.array([np.sin(angle), 0.0, np.cos(angle)])
        return hand(t, _pose(x=at[0], z=at[2], yaw=np.degrees(angle)))

    return Film(name=f"orbit-{seed}", boards=boards, course=course, followed="wall", frames=frames)


def _leaves(seed: int, *, middle: tuple[float, float], z: float, width: float, many: int, restless: float) -> Board:
    cover = leaf_shapes(512, 1024, seed, leaves=many)
    sway = [Shake(rms=restless, seed=seed + 50 + k, corner_hz=0.9) for k in range(3)]
    return facing(
        "leaves",
        collage(PLAIN, 1, 2, seed) * 1.6 + 0.1,
        middle=middle,
        z=z,
        width=width,
        cover=cover,
        moves=lambda t: (sway[0](t), 0.6 * sway[1](t), 0.5 * sway[2](t)),
    )


def leaves(seed: int, frames: int = 90) -> Film:
    """A hand-held look at a dark wall, leaves that sway before a tenth of the picture."""
    hand = _Hand(seed, turn=0.35)
    wall = facing("wall", collage(FULL, 4, 2, seed) * 0.05 + 0.004, middle=(0.0, -0.5), z=5.2, width=10.4)
    bush = _leaves(seed, middle=(0.62, 0.0), z=1.7, width=0.56, many=330, restless=0.012)
    return Film(
        name=f"leaves-{seed}",
        boards=(wall, bush),
        course=lambda t: hand(t, _pose(x=-0.05 + 0.05 * t)),
        followed="wall",
        frames=frames,
        behind=0.01,
    )


def passing(seed: int, frames: int = 75) -> Film:
    """A slider of 25 frames/s, before which somebody's legs pass close by."""
    start = 0.7

    def passed(t: float) -> tuple[float, float, float]:
        return 2.4 * (t - start), 0.02 * np.sin(2 * np.pi * _STEP_HZ * t), 0.0

    leg = facing(
        "leg", collage(PLAIN, 1, 3, seed + 9)[:, :420] * 0.4, middle=(-1.1, 0.2), z=1.0, width=0.34, moves=passed
    )
    return Film(
        name=f"passing-{seed}",
        boards=(*_yard(seed), leg),
        course=_travelled,
        followed="wall",
        frames=frames,
        rate=Fraction(25),
    )


def gate(seed: int, frames: int = 90) -> Film:
    """Forward through a gate towards a house front, on foot."""
    hand = _Hand(seed, turn=0.35, steps=0.8)
    post = collage(PLAIN, 1, 4, seed + 2)
    boards = (
        facing("wall", collage(FULL, 4, 2, seed), middle=(0.0, _GROUND_Y - 3.4), z=9.0, width=13.6),
        _ground(seed, 4, far_z=9.0, deep=7.5),
        facing("left", post[:, :256], middle=(-1.15, 0.0), z=3.2, width=0.5),
        facing("right", post[:, 256:], middle=(1.15, 0.0), z=3.2, width=0.5),
        facing("beam", collage(PLAIN, 4, 1, seed + 4)[:200], middle=(0.0, -0.95), z=3.2, width=3.2),
    )
    return Film(
        name=f"gate-{seed}",
        boards=boards,
        course=lambda t: hand(t, _pose(z=0.9 * t)),
        followed="wall",
        frames=frames,
    )


def _round(seed: int) -> tuple[Board, ...]:
    """Walls of photographs all round, for a camera that only turns."""
    boards = []
    for k, yaw in enumerate(range(-75, 76, 30)):
        angle = np.radians(yaw)
        wall = facing(f"wall {k}", collage(FULL, 1, 2, seed + k), middle=(0.0, 0.0), z=6.0, width=3.25)
        turn = np.array([[np.cos(angle), 0, np.sin(angle)], [0, 1, 0], [-np.sin(angle), 0, np.cos(angle)]])
        corner, along = turn @ wall.corner, turn @ wall.along
        boards.append(
            Board(name=wall.name, texture=wall.texture, corner=tuple(corner), along=tuple(along), down=wall.down)
        )
    return tuple(boards)


def _turning(name: str, seed: int, course: Course, frames: int) -> Film:
    return Film(name=name, boards=_round(seed), course=course, followed=FAR, frames=frames)


def whip(seed: int, frames: int = 60) -> Film:
    """A whip pan between two calm stretches, the camera only turning."""
    hand = _Hand(seed, turn=0.25, place=0.0)
    rng = np.random.default_rng(seed)
    way, tilt, length = rng.uniform(45, 70), rng.uniform(-6, 6), rng.uniform(0.5, 0.75)

    def course(t: float) -> Pose:
        share = ease(t, 0.6, 0.6 + length)
        return hand(t, _pose(yaw=-way / 2 + way * share, pitch=-tilt / 2 + tilt * share))

    return _turning(f"whip-{seed}", seed, course, frames)


def stepping_pan(seed: int, frames: int = 90) -> Film:
    """A slow pan by hand with the quick shake of steps, the camera only turning."""
    hand = _Hand(seed, turn=0.5, place=0.0, steps=1.6)
    still = Shake(rms=0.12, seed=seed + 31, corner_hz=6.0, tremor=0.5)
    return _turning(
        f"stepping-{seed}", seed, lambda t: hand(t, _pose(yaw=-8 + 5 * t + still(t), pitch=still(t + 9.0))), frames
    )


def _walking(heading: float, speed: float, bob: Shake) -> Place:
    return lambda t: (speed * np.cos(heading) * (t - 1), speed * np.sin(heading) * (t - 1) + bob(t), 0.0)


def crowd(seed: int, frames: int = 60) -> Film:
    """Nothing but people who each go their way, so that nothing stands still: there is no motion to find."""
    rng = np.random.default_rng(seed)
    hand, boards = _Hand(seed), []
    for k in range(70):
        heading, speed, z = rng.uniform(0, 2 * np.pi), rng.uniform(0.4, 1.3), rng.uniform(2.2, 5.0)
        at, bob, part = rng.uniform(-1, 1, 2) * (0.62 * z, 0.36 * z), Shake(rms=0.03, seed=1000 * seed + k), k % 7
        texture: Light = collage(FULL, 1, 1, seed + part)[64:448, 128 : 128 + 150]
        boards.append(
            facing(
                f"person {k}",
                texture,
                middle=(float(at[0]), float(at[1])),
                z=float(z),
                width=0.22 * float(z),
                moves=_walking(heading, speed, bob),
            )
        )
    boards.sort(key=lambda board: -board.corner[2])
    return Film(
        name=f"crowd-{seed}",
        boards=tuple(boards),
        course=lambda t: hand(t, _pose()),
        followed=FAR,
        frames=frames,
        behind=0.02,
    )


def lorry(seed: int, frames: int = 75) -> Film:
    """A hand-held walk that begins and ends behind something large that passes close by."""
    hand = _Hand(seed, steps=0.6)
    side = facing(
        "lorry",
        collage(PLAIN, 5, 2, seed + 1) * 0.5,
        middle=(0.0, 0.0),
        z=2.0,
        width=7.0,
        moves=lambda t: (1.6 + 6.0 * t if t < 1.25 else -1.2 - 6.0 * (2.5 - t), 0.0, 0.0),
    )
    return Film(
        name=f"lorry-{seed}",
        boards=(*_yard(seed), side),
        course=lambda t: hand(t, _pose(x=-0.5 + 0.4 * t)),
        followed="wall",
        frames=frames,
    )


def filmed(name: str, folder: Path) -> Path:
    """The film of a name as slider-3 (its kind, and the seed), filmed where it is not there."""
    kind, _, seed = name.rpartition("-")
    film: Film = globals()[kind](int(seed))
    return film.made(folder)
