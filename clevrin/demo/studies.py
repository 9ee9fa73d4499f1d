"""Takes of kite day in which measuring is hard, one reason each: the test bench beside the demo project's takes."""

from fractions import Fraction

import numpy as np

from clevrin.demo.camera import Pose, ease
from clevrin.demo.scene import Scene, TrueWhip, hand
from clevrin.demo.world import WORKSHOP_Z


def _from_hill(t: float, *, seed: float, yaw_deg: float = 150.0, pitch_deg: float = 2.0, amount: float = 1.0) -> Pose:
    yaw, pitch, roll = hand(t, seed, amount)
    return Pose(x=0.0, y=0.0, z=0.0, yaw=yaw + np.radians(yaw_deg), pitch=pitch + np.radians(pitch_deg), roll=roll)


def _moved(pose: Pose, *, yaw: float = 0.0, pitch: float = 0.0, roll: float = 0.0) -> Pose:
    """A pose turned further, in degrees."""
    return Pose(
        x=pose.x,
        y=pose.y,
        z=pose.z,
        yaw=pose.yaw + np.radians(yaw),
        pitch=pose.pitch + np.radians(pitch),
        roll=pose.roll + np.radians(roll),
    )


def _parade(t: float) -> Pose:
    return _from_hill(t, seed=11, yaw_deg=140)


def _mist(t: float) -> Pose:
    return _from_hill(t, seed=23, yaw_deg=132, pitch_deg=6)


def _somersault(t: float) -> Pose:
    return _moved(_from_hill(t, seed=37), roll=360 * ease(t, 0.9, 2.1))


def _burst(t: float) -> Pose:
    return _from_hill(t, seed=41, yaw_deg=142, pitch_deg=4, amount=0.8)


def _burst_zoom(t: float) -> float:
    return float(0.62 * (1.9 ** ease(t, 1.0, 1.7)))


def _skyward(t: float) -> Pose:
    return _moved(_from_hill(t, seed=47, yaw_deg=140), pitch=21 * ease(t, 1.5, 2.05))


def _earthward(t: float) -> Pose:
    return _moved(_from_hill(t, seed=53, yaw_deg=140), pitch=21 - 21 * ease(t, 0.6, 1.15))


def _downhill(t: float) -> Pose:
    """Walking down the hill with a camera whose rows are read one after the other."""
    step = 1.9
    return _moved(
        _from_hill(t, seed=59, yaw_deg=146),
        yaw=0.5 * np.sin(np.pi * step * t),
        pitch=1.1 * np.sin(2 * np.pi * step * t + 0.4),
        roll=0.9 * np.sin(np.pi * step * t + 0.9),
    )


def _runaway(t: float) -> Pose:
    """Running after a kite that has torn loose, the camera in one hand."""
    step = 2.8
    return _moved(
        _from_hill(t, seed=61, yaw_deg=142, pitch_deg=5, amount=2.5),
        yaw=6.0 * np.sin(np.pi * step * t + 0.2),
        pitch=4.5 * np.sin(2 * np.pi * step * t),
        roll=5.0 * np.sin(np.pi * step * t + 1.0),
    )


def _alongside(t: float) -> Pose:
    """Walking along the fence, the workshops behind it: near and far move apart with every step."""
    step = 2 * np.pi * 1.9
    pose = _from_hill(t, seed=67, yaw_deg=0.0, pitch_deg=-4.0, amount=0.7)
    return Pose(
        x=-2.6 + 0.75 * t + 0.012 * np.sin(step * t / 2 + 0.4),
        y=0.016 * np.sin(step * t),
        z=0.2,
        yaw=pose.yaw,
        pitch=pose.pitch,
        roll=pose.roll,
    )


def _at_workshop(t: float, *, seed: float, x: float = 2.2, yaw_deg: float = -2.0, pitch_deg: float = 4.0) -> Pose:
    pose = _from_hill(t, seed=seed, yaw_deg=yaw_deg, pitch_deg=pitch_deg, amount=0.9)
    return Pose(x=x, y=pose.y, z=pose.z, yaw=pose.yaw, pitch=pose.pitch, roll=pose.roll)


def _cartwheel(t: float) -> Pose:
    """The somersault's partner, before the workshops."""
    return _moved(_at_workshop(t, seed=71), roll=360 * ease(t, 0.9, 2.1))


def _doorstep(t: float) -> Pose:
    return _at_workshop(t, seed=73, x=-1.6, yaw_deg=3.0, pitch_deg=0.0)


def _look_up(t: float) -> Pose:
    return _moved(_at_workshop(t, seed=79, x=-4.0), pitch=44 * ease(t, 1.4, 2.2))


def _look_down(t: float) -> Pose:
    return _moved(_from_hill(t, seed=89, yaw_deg=146, pitch_deg=4), pitch=44 - 44 * ease(t, 0.3, 1.1))


def _tripod(t: float) -> Pose:
    return _from_hill(t, seed=0, amount=0.0)


def _flier(t: float) -> Pose:
    """Somebody comes past who looks up at a kite, close before the lens."""
    pose = _from_hill(t, seed=97, yaw_deg=140, pitch_deg=3)
    return Pose(x=pose.x, y=0.5, z=pose.z, yaw=pose.yaw, pitch=pose.pitch, roll=pose.roll)


STUDIES = (
    Scene(name="flier", rate=Fraction(30), frames=84, shutter_deg=180.0, path=_flier, background_z=None),
    Scene(name="parade", rate=Fraction(30), frames=105, shutter_deg=180.0, path=_parade, background_z=None),
    Scene(name="mist", rate=Fraction(30), frames=105, shutter_deg=180.0, path=_mist, background_z=None),
    Scene(
        name="somersault",
        rate=Fraction(30),
        frames=90,
        shutter_deg=180.0,
        path=_somersault,
        background_z=None,
        whips=(TrueWhip(start=27, peak=45, end=63, angle_deg=0.0, kind="roll"),),
    ),
    Scene(
        name="burst",
        rate=Fraction(30),
        frames=80,
        shutter_deg=180.0,
        path=_burst,
        zoom=_burst_zoom,
        background_z=None,
        whips=(TrueWhip(start=30, peak=40, end=51, angle_deg=0.0, kind="zoom"),),
    ),
    Scene(
        name="skyward",
        rate=Fraction(30),
        frames=75,
        shutter_deg=180.0,
        path=_skyward,
        background_z=None,
        whips=(TrueWhip(start=45, peak=53, end=61, angle_deg=90.0, kind="tilt"),),
    ),
    Scene(
        name="earthward",
        rate=Fraction(30),
        frames=75,
        shutter_deg=180.0,
        path=_earthward,
        background_z=None,
        whips=(TrueWhip(start=18, peak=26, end=34, angle_deg=-90.0, kind="tilt"),),
    ),
    Scene(
        name="downhill",
        rate=Fraction(30),
        frames=90,
        shutter_deg=90.0,
        path=_downhill,
        readout=0.6,
        background_z=None,
    ),
    Scene(
        name="cartwheel",
        rate=Fraction(30),
        frames=90,
        shutter_deg=180.0,
        path=_cartwheel,
        background_z=WORKSHOP_Z,
        whips=(TrueWhip(start=27, peak=45, end=63, angle_deg=0.0, kind="roll"),),
    ),
    Scene(
        name="doorstep",
        rate=Fraction(30),
        frames=80,
        shutter_deg=180.0,
        path=_doorstep,
        zoom=_burst_zoom,
        background_z=WORKSHOP_Z,
        whips=(TrueWhip(start=30, peak=40, end=51, angle_deg=0.0, kind="zoom"),),
    ),
    Scene(
        name="look-up",
        rate=Fraction(30),
        frames=78,
        shutter_deg=180.0,
        path=_look_up,
        background_z=WORKSHOP_Z,
        whips=(TrueWhip(start=42, peak=54, end=66, angle_deg=90.0, kind="tilt"),),
    ),
    Scene(
        name="look-down",
        rate=Fraction(30),
        frames=78,
        shutter_deg=180.0,
        path=_look_down,
        background_z=None,
        whips=(TrueWhip(start=9, peak=21, end=33, angle_deg=-90.0, kind="tilt"),),
    ),
    Scene(name="runaway", rate=Fraction(30), frames=90, shutter_deg=270.0, path=_runaway, background_z=None),
    Scene(name="alongside", rate=Fraction(30), frames=90, shutter_deg=180.0, path=_alongside, background_z=WORKSHOP_Z),
    Scene(name="tripod", rate=Fraction(30), frames=110, shutter_deg=180.0, path=_tripod, background_z=None),
)
