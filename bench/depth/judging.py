"""How true a trace is in a place with depth, and what is left of the shake there."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from bench.depth.places import Film
from clevrin.core.motion.geometry.models import apply

Numbers = NDArray[np.float64]

_CUBIC_S = 1.5


@dataclass(frozen=True, kw_only=True)
class Truth:
    """Errors per frame (frames,) in px of the full picture, by how far each point of a grid was off."""

    errors: Numbers
    centre: Numbers
    corners: Numbers
    speed: Numbers
    jitters: Numbers

    @property
    def error(self) -> float:
        return _rms(self.errors[1:])

    @property
    def jitter(self) -> float:
        return _rms(self.jitters[2:])


def judged(film: Film, motions: Numbers) -> Truth:
    """Motions (frames, 3, 3) against those of the board that is followed."""
    true = film.motions(film.followed)
    w, h = film.lens.width - 1, film.lens.height - 1
    x, y = np.meshgrid(np.linspace(0, w, 5), np.linspace(0, h, 5))
    grid = np.column_stack([x.ravel(), y.ravel()])
    off = np.array([apply(m, grid) - apply(t, grid) for m, t in zip(motions, true, strict=True)])
    moved = np.array([apply(t, grid) - grid for t in true])
    jitter = np.diff(off, axis=0, prepend=off[:1])
    return Truth(
        errors=_over_points(off),
        centre=np.hypot(*off[:, 12].T),
        corners=_over_points(off[:, [0, 4, 20, 24]]),
        speed=_over_points(moved),
        jitters=_over_points(jitter),
    )


def _over_points(off: Numbers) -> Numbers:
    rms: Numbers = np.sqrt((off**2).sum(axis=2).mean(axis=1))
    return rms


def _rms(values: Numbers) -> float:
    return float(np.sqrt(np.mean(values**2)))


def restlessness(film: Film, shown: Numbers | None = None) -> tuple[float, float]:
    """What the points of all that stands still do about a cubic over 1.5 s: median and worst tenth, px.

    `shown` (frames, n, 2): where `film.points` are in the held picture; None: as shot.
    """
    places, seen = film.points
    places = places if shown is None else shown
    length = round(_CUBIC_S * float(film.rate))
    left = []
    for first in range(0, film.frames - length + 1, max(1, length // 5)):
        span = slice(first, first + length)
        whole = seen[span].all(axis=0) & np.isfinite(places[span]).all(axis=(0, 2))
        left.append(about_cubic(places[span][:, whole]))
    each = np.concatenate(left)
    return float(np.median(each)), float(np.quantile(each, 0.9))


def about_cubic(course: Numbers) -> Numbers:
    """(n,): what points (frames, n, 2) do about a cubic, px RMS."""
    powers = np.vander(np.linspace(-1, 1, len(course)), 4)
    rest = course - np.einsum("ab,bnc->anc", powers @ np.linalg.pinv(powers), course)
    left: Numbers = np.sqrt((rest**2).sum(axis=2).mean(axis=0))
    return left


def shown_by(src_from_out: Numbers, places: Numbers) -> Numbers:
    """Where points (frames, n, 2) of the source are in the output, by maps (frames, 3, 3)."""
    shown = [apply(np.linalg.inv(m), each) for m, each in zip(src_from_out, places, strict=True)]
    return np.array(shown)
