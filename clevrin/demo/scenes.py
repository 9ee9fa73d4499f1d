"""The takes of kite day: which part of the world, which camera path, which rate, and what is true of them."""

from collections.abc import Sequence
from dataclasses import dataclass
from fractions import Fraction
from functools import cache

import numpy as np

from clevrin.demo.camera import Lens, Matrix, Path, Pose, Shake, ease, far_motion, plane_motion
from clevrin.demo.world import WORKSHOP_Z, Actor, Panel, World, flying_kite, walker, workshop_layers

LENS = Lens(width=1280, height=720, focal_px=1152.0)


@dataclass(frozen=True, kw_only=True)
class TrueWhip:
    """A whip as the scene moves: frames of its start, its fastest instant and its end, and its direction."""

    start: int
    peak: int
    end: int
    angle_deg: float


@dataclass(frozen=True, kw_only=True)
class Scene:
    """One take: all that is needed to film it."""

    name: str
    rate: Fraction
    frames: int
    shutter_deg: float
    path: Path
    background_z: float | None  # None: what counts as background is infinitely far
    whips: tuple[TrueWhip, ...] = ()
    lens: Lens = LENS

    def time(self, frame: float) -> float:
        """The middle of the exposure of a frame, in seconds."""
        return float(frame / self.rate)

    def pose(self, frame: float) -> Pose:
        return self.path(self.time(frame))

    def motion(self, before: float, after: float) -> Matrix:
        """The true homography of the background between two frames."""
        poses = self.pose(before), self.pose(after)
        if self.background_z is None:
            return far_motion(*poses, self.lens)
        return plane_motion(*poses, self.lens, self.background_z)

    def blur_px(self, frame: int) -> float:
        """The true length of the blur at the picture's centre: how far the centre moves while the shutter is open."""
        half = self.shutter_deg / 720
        h = self.motion(frame - half, frame + half)
        centre = np.array([(self.lens.width - 1) / 2, (self.lens.height - 1) / 2, 1])
        moved = h @ centre
        return float(np.hypot(*(moved[:2] / moved[2] - centre[:2])))


_HAND = [Shake(rms=np.radians(a), seed=s) for a, s in ((0.62, 1), (0.55, 2), (0.42, 3))]


def _hand(t: float, seed: float, amount: float = 1.0) -> tuple[float, float, float]:
    """Unrest of hands that try to stand still: yaw, pitch, roll."""
    yaw, pitch, roll = (amount * shake(t + seed) for shake in _HAND)
    return yaw, pitch, roll


def _walk_past(t: float) -> Pose:
    step = 1.9  # steps per second
    calm = 1 - ease(t, 3.9, 4.4)  # the feet stop before the whip
    yaw, pitch, roll = _hand(t, 0)
    along = -5.2 + 1.0 * min(t, 3.9) + 0.25 * np.sin(np.clip((t - 3.9) / 0.5, 0, 1) * np.pi / 2)
    return Pose(
        x=along + calm * 0.030 * np.sin(np.pi * step * t),
        y=calm * 0.040 * np.sin(2 * np.pi * step * t + 0.6),
        z=0.0,
        yaw=yaw + np.radians(-3 + 1.6 * t) + np.radians(78) * ease(t, 4.25, 4.85),
        pitch=pitch + np.radians(3) + calm * np.radians(0.75) * np.sin(2 * np.pi * step * t + 0.2),
        roll=roll + calm * np.radians(0.8) * np.sin(np.pi * step * t + 0.4),
    )


def _hill(t: float) -> Pose:
    yaw, pitch, roll = _hand(t, 31, 0.9)
    overshoot = np.radians(1.6) * np.exp(-((t - 0.78) ** 2) / 0.02) * ease(t, 0.5, 0.8)
    return Pose(
        x=0.0,
        y=0.0,
        z=0.0,
        yaw=yaw + np.radians(62) + np.radians(76) * ease(t, 0.0, 0.62) + overshoot,
        pitch=pitch + np.radians(5),
        roll=roll,
    )


def _picnic(t: float) -> Pose:
    yaw, pitch, roll = _hand(t, 57, 1.0)
    return Pose(x=0.0, y=0.0, z=0.0, yaw=yaw + np.radians(150), pitch=pitch + np.radians(2), roll=roll)


def _bunting(t: float) -> Pose:
    yaw, pitch, roll = _hand(t, 83, 0.9)
    return Pose(
        x=2.2,
        y=0.0,
        z=0.0,
        yaw=yaw + np.radians(72) - np.radians(74) * ease(t, 0.0, 0.66),
        pitch=pitch + np.radians(4),
        roll=roll,
    )


SCENES = (
    Scene(
        name="walk-past",
        rate=Fraction(30),
        frames=147,
        shutter_deg=180.0,
        path=_walk_past,
        background_z=WORKSHOP_Z,
        whips=(TrueWhip(start=128, peak=137, end=146, angle_deg=0.0),),
    ),
    Scene(
        name="hill",
        rate=Fraction(30),
        frames=150,
        shutter_deg=180.0,
        path=_hill,
        background_z=None,
        whips=(TrueWhip(start=0, peak=9, end=19, angle_deg=0.0),),
    ),
    Scene(name="picnic", rate=Fraction(60), frames=210, shutter_deg=150.0, path=_picnic, background_z=None),
    Scene(
        name="bunting",
        rate=Fraction(30),
        frames=120,
        shutter_deg=180.0,
        path=_bunting,
        background_z=WORKSHOP_Z,
        whips=(TrueWhip(start=0, peak=10, end=20, angle_deg=180.0),),
    ),
)


def scene(name: str) -> Scene:
    """The scene with this name; raises `KeyError` when there is none."""
    return {each.name: each for each in SCENES}[name]


@cache
def world(name: str) -> World:
    """What stands and moves where a take is filmed."""
    kites: list[Panel | Actor] = [
        flying_kite(seed=40, azimuth_deg=128, lift=0.36),
        flying_kite(seed=41, azimuth_deg=137, lift=0.24, distance=60, size=6),
        flying_kite(seed=42, azimuth_deg=146, lift=0.30, distance=50),
        flying_kite(seed=43, azimuth_deg=153, lift=0.20, distance=55, size=4.5),
        flying_kite(seed=44, azimuth_deg=100, lift=0.28, distance=45),
        flying_kite(seed=45, azimuth_deg=165, lift=0.33, distance=45, size=4),
        flying_kite(seed=46, azimuth_deg=78, lift=0.32, distance=50),
    ]
    workshop, grass, fence = workshop_layers()
    people: Sequence[Actor] = ()
    if name == "walk-past":
        people = (
            walker(seed=2, start=(-1.5, 7.4), velocity=(-0.5, 0)),
            walker(seed=7, start=(1.8, 7.9), velocity=(0.1, 0)),
        )
    if name == "picnic":
        people = (
            walker(seed=3, start=(9.5, -12.0), velocity=(-0.9, -0.3)),
            walker(seed=5, start=(1.5, -9.0), velocity=(0.9, 0.45)),
            walker(seed=12, start=(5.4, -10.5), velocity=(0.12, 0.0)),
        )
    if name == "bunting":
        people = (walker(seed=9, start=(0.2, 8.0), velocity=(0.45, 0)),)
    if name == "hill":
        people = (
            walker(seed=11, start=(9.0, -14.0), velocity=(-0.5, 0.2)),
            walker(seed=15, start=(13.0, -11.0), velocity=(0.3, -0.2)),
        )
    return World(layers=[*kites, workshop, grass, *people, fence])
