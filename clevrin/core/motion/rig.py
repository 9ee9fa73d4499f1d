"""A simulated hand: camera motion with the spectra of hands, feet and wheels, where there is no motion sensor.

Every preset is a set of bands per axis. Frequencies: postural sway and drift of held objects under 2 Hz with power
falling steeply, and physiological tremor at 8 to 12 Hz (Elble & Koller, Tremor, 1990); steps at 1.9 a second when
walking and 2.8 when running, with sway at half of that (Bachmann & Ammann, Vibrations in Structures, 1987); a car's
body at 1.2 to 1.6 Hz and its axles at 10 to 14 Hz (Gillespie, Fundamentals of Vehicle Dynamics, 1992).
"""

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from clevrin.core.document.loans import Rig

Numbers = NDArray[np.float64]

_LINES = 24


@dataclass(frozen=True, kw_only=True)
class Band:
    """Unrest between two frequencies: `rms` in the axis's unit; its amplitude falls with hz ** -fall."""

    low_hz: float
    high_hz: float
    rms: float
    fall: float = 0.0


def _step(hz: float, rms: float) -> tuple[Band, ...]:
    """A gait: narrow lines at its frequency and twice that, never quite even."""
    return (
        Band(low_hz=0.97 * hz, high_hz=1.03 * hz, rms=rms),
        Band(low_hz=1.94 * hz, high_hz=2.06 * hz, rms=rms * 0.35),
    )


def _drift(rms: float, fall: float = 1.6, high_hz: float = 4.0) -> tuple[Band, ...]:
    return (Band(low_hz=0.12, high_hz=high_hz, rms=rms, fall=fall),)


def _tremor(rms: float) -> tuple[Band, ...]:
    return (Band(low_hz=8.0, high_hz=11.5, rms=rms),)


RIG_BANDS: Mapping[Rig, Mapping[str, tuple[Band, ...]]] = {
    # Pan and tilt in picture widths, roll in degrees, zoom as a logarithm.
    "resting hands": {
        "pan": (*_drift(0.0055), *_tremor(0.00018)),
        "tilt": (*_drift(0.0048), *_tremor(0.00018)),
        "roll": _drift(0.22),
        "zoom": _drift(0.0015),
    },
    "walking": {
        "pan": (*_drift(0.008), *_step(0.95, 0.009)),
        "tilt": (*_drift(0.005), *_step(1.9, 0.0075)),
        "roll": (*_drift(0.3), *_step(0.95, 0.55)),
        "zoom": _step(1.9, 0.0022),
    },
    "running": {
        "pan": (*_drift(0.016), *_step(1.4, 0.026)),
        "tilt": (*_drift(0.012), *_step(2.8, 0.03)),
        "roll": (*_drift(0.7), *_step(1.4, 1.8)),
        "zoom": _step(2.8, 0.006),
    },
    "car": {
        "pan": (*_drift(0.0035, high_hz=1.0), Band(low_hz=10.0, high_hz=14.0, rms=0.0006)),
        "tilt": (Band(low_hz=1.1, high_hz=1.7, rms=0.005), Band(low_hz=10.0, high_hz=14.0, rms=0.0013)),
        "roll": (Band(low_hz=0.7, high_hz=1.4, rms=0.3),),
        "zoom": (),
    },
    "long lens": {
        "pan": (*_drift(0.014, fall=1.2, high_hz=3.0), *_tremor(0.0013)),
        "tilt": (*_drift(0.012, fall=1.2, high_hz=3.0), *_tremor(0.0013)),
        "roll": _drift(0.16),
        "zoom": (),
    },
}


def rig_course(rig: Rig, seed: int, frames: int, rate: float) -> Numbers:
    """(frames, 4): pan and tilt in picture widths (right, up), roll in degrees anticlockwise, zoom as a logarithm.

    A fixed sum of sines for each seed, so that a longer course begins as a shorter one does. Lines that the frame
    rate cannot show are left out.
    """
    rng = np.random.default_rng([seed, list(RIG_BANDS).index(rig)])
    t = np.arange(frames) / rate
    course = np.zeros((frames, 4))
    for column, axis in enumerate(("pan", "tilt", "roll", "zoom")):
        for band in RIG_BANDS[rig][axis]:
            hz = np.geomspace(band.low_hz, band.high_hz, _LINES) * rng.uniform(0.985, 1.015, _LINES)
            amplitude = hz**-band.fall
            amplitude *= band.rms / np.sqrt((amplitude**2).sum() / 2)
            phase = rng.uniform(0, 2 * np.pi, _LINES)
            shown = hz < rate / 2
            lines = np.sin(2 * np.pi * np.outer(t, hz[shown]) + phase[shown])
            course[:, column] += lines @ amplitude[shown]
    return course - course[:1]
