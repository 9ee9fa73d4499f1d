"""The takes of kite day that stand in the demo project: which camera path, which rate, which whips."""

from fractions import Fraction

import numpy as np

from clevrin.demo.camera import Pose, ease
from clevrin.demo.scene import Scene, TrueWhip, hand
from clevrin.demo.world import WORKSHOP_Z


def _walk_past(t: float) -> Pose:
    step = 1.9  # steps per second
    calm = 1 - ease(t, 3.9, 4.4)  # the feet stop before the whip
    yaw, pitch, roll = hand(t, 0)
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
    yaw, pitch, roll = hand(t, 31, 0.9)
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
    yaw, pitch, roll = hand(t, 57, 1.0)
    return Pose(x=0.0, y=0.0, z=0.0, yaw=yaw + np.radians(150), pitch=pitch + np.radians(2), roll=roll)


def _bunting(t: float) -> Pose:
    yaw, pitch, roll = hand(t, 83, 0.9)
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
