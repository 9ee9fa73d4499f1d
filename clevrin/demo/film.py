"""Filming a scene: the shutter integrated in linear light, sensor noise, and the encoded file with its truth."""

import json
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from clevrin.core.media.picture import Picture, picture_from_rgb
from clevrin.core.media.writing import FilmWriter
from clevrin.demo.air import add_sound, sound_of_take
from clevrin.demo.cast import world
from clevrin.demo.scene import Scene
from clevrin.demo.world import World

_SAMPLE_EVERY_PX = 2.0
_FEWEST_SAMPLES = 5
_BAND_ROWS = 8
_ENTRIES_EVERY = 15
"""Frames: as cameras and phones have it. Any frame is read within a blink."""
_READ_NOISE, _SHOT_NOISE = 0.0012, 0.000035
"""Standard deviation of the dark and variance per unit of light, as shares of full scale."""


def frame_light(scene: Scene, frame: int, seen: World | None = None) -> NDArray[np.float32]:
    """One exposed frame without noise: linear light (h, w, 3) float32, 0 to 65535; `seen` in place of what is there.

    The shutter is sampled so finely that two samples lie at most 2 px apart anywhere in the picture, each
    with its own sub-pixel offset (a golden-ratio sequence), so that no ghost copies show. A rolling shutter reads
    a few rows at a time.
    """
    height = scene.lens.height
    corners = np.array([[x, y, 1] for x in (0, scene.lens.width) for y in (0, height)]).T
    half = scene.shutter_deg / 720
    moved = scene.motion(frame - half, frame + half) @ corners
    reach = np.abs(moved[:2] / moved[2] - corners[:2]).max()
    samples = max(_FEWEST_SAMPLES, int(np.ceil(reach / _SAMPLE_EVERY_PX)))
    total = np.zeros((height, scene.lens.width, 3), np.float32)
    there = world(scene.name) if seen is None else seen
    rows = _BAND_ROWS if scene.readout else height
    for first in range(0, height, rows):
        late = scene.readout * (first + (rows - height) / 2) / height
        for k in range(samples):
            at = frame + late + half * ((2 * k + 1) / samples - 1)
            offset = ((k * 0.754878) % 1 - 0.5, (k * 0.569840) % 1 - 0.5)
            lens = scene.lens_at(at).band(first, rows) if scene.readout else scene.lens_at(at)
            total[first : first + rows] += there.expose(scene.pose(at), scene.time(at), lens, offset)
    return np.asarray(total / samples, np.float32)


def developed(light: NDArray[np.float32], seed: int) -> Picture:
    """Adds the sensor's noise and encodes light as a BT.709 picture."""
    rng = np.random.default_rng(seed)
    share = light / 65535
    noise = rng.standard_normal(share.shape, np.float32)
    share = np.clip(share + noise * np.sqrt(_READ_NOISE**2 + _SHOT_NOISE * share), 0, 1)
    code = np.where(share <= 0.0031308, 12.92 * share, 1.055 * share ** (1 / 2.4) - 0.055)
    return picture_from_rgb((code * 255 + 0.5).astype(np.uint8))


def film(scene: Scene, folder: Path) -> None:
    """Writes `NAME.mp4` and `NAME.truth.json` for a scene; the same scene gives the same bytes."""
    size = scene.lens.width, scene.lens.height
    path = folder / f"{scene.name}.mp4"
    with FilmWriter(
        path, rate=scene.rate, size=size, quality=18, preset="slow", threads=1, entries_every=_ENTRIES_EVERY
    ) as writer:
        for frame in range(scene.frames):
            writer.write(developed(frame_light(scene, frame), seed=frame))
    sound = sound_of_take(scene.name, float(scene.frames / scene.rate))
    if sound is not None:
        add_sound(path, sound)
    (folder / f"{scene.name}.truth.json").write_text(json.dumps(truth(scene), indent=1) + "\n")


def truth(scene: Scene) -> dict[str, object]:
    """What is true of a take: pose and background homography (previous frame to this one) of each frame."""
    frames = []
    for frame in range(scene.frames):
        pose = scene.pose(frame)
        h = scene.motion(frame - 1, frame) if frame else np.eye(3)
        frames.append(
            {
                "position_m": [round(v, 9) for v in pose.position],
                "yaw_pitch_roll_deg": [round(float(np.degrees(v)), 9) for v in (pose.yaw, pose.pitch, pose.roll)],
                "H": [round(float(v), 12) for v in h.reshape(-1)],
                "blur_px": round(scene.blur_px(frame), 4),
            }
        )
    return {
        "take": scene.name,
        "rate": f"{scene.rate.numerator}/{scene.rate.denominator}",
        "width": scene.lens.width,
        "height": scene.lens.height,
        "focal_px": scene.lens.focal_px,
        "shutter_deg": scene.shutter_deg,
        "whips": [vars(whip) for whip in scene.whips],
        "frames": frames,
    }
