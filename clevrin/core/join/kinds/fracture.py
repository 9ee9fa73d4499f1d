"""A jolt as of a broken signal: the picture breaks into bands and blocks, and comes together as the next one."""

import numpy as np

from clevrin.core.join.kinds.kind import (
    LENGTH,
    PEAK,
    SEED,
    After,
    Broken,
    Fit,
    JoinSetting,
    Kind,
    Made,
    Matrix,
    Part,
    Seen,
    all_of_it,
    as_usual,
    shift,
)

_SHAKES = 0.05


def _strength(made: Made, at: float) -> float:
    """Strongest at the cut; straight up and down, for it is a jolt."""
    side = made.before if at < 0 else made.after
    return made.number("strength") * max(0.0, 1 - abs(at) / (side + 0.5)) if side else 0.0


def _part(made: Made, at: float, leaving: bool) -> Part:
    chance = np.random.default_rng((round(made.number("seed")), int(np.floor(at)) + 10_000))
    thrown = chance.normal(0, _SHAKES, 2) * _strength(made, at) * made.number("shake")

    def move(time: float) -> Matrix:
        return shift(float(thrown[0]), float(thrown[1]))

    return all_of_it(at, leaving, move)


def _effects(made: Made, at: float) -> tuple[After, ...]:
    strength = _strength(made, at)
    if strength <= 0:
        return ()
    return (Broken(seed=round(made.number("seed")), step=int(np.floor(at)), strength=strength),)


def _fits(seen: Seen) -> Fit:
    if seen.on_beat:
        return Fit(score=34 + 12 * seen.apart, why="A jolt on the beat.")
    return Fit(score=14 + 12 * seen.apart, why="A jolt: where nothing goes on, that may be the point.")


FRACTURE = Kind(
    id="fracture",
    help="A jolt as of a broken signal: bands and blocks part, colours with them",
    long=True,
    settings=(
        as_usual(LENGTH, 8.0),
        JoinSetting(id="strength", title="Strength", help="How far it breaks at the cut", default=0.7),
        JoinSetting(id="shake", title="Shake", help="How far the whole picture is thrown about", default=0.5),
        SEED,
        PEAK,
    ),
    part=_part,
    effects=_effects,
    fits=_fits,
)
