"""What stands and moves on Gable Hill in each take."""

from collections.abc import Sequence
from functools import cache

from clevrin.demo.world import Actor, Panel, World, carried_cloth, flying_kite, walker, workshop_layers

_MIST = 0.85
"""Share of the light that a thick mist adds of its own."""
_CLEAR = ("look-up", "look-down")
CLOTH: Actor = carried_cloth(seed=5, start=(1.65, -2.0), velocity=(-0.26, -0.15), size=(1.55, 1.0))
"""The painted cloth of the parade."""


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
    if name == "parade":
        people = (
            walker(seed=21, start=(1.9, -2.6), velocity=(-0.14, -0.10)),
            CLOTH,
        )
    if name == "tripod":
        people = (
            walker(seed=3, start=(5.6, -6.2), velocity=(-1.1, -0.5)),
            walker(seed=5, start=(0.2, -5.4), velocity=(0.9, 0.35)),
            walker(seed=12, start=(3.4, -3.4), velocity=(-0.75, -0.45)),
        )
    if name == "flier":
        people = (walker(seed=3, start=(-0.55, -1.72), velocity=(0.84, 0.7)),)
    mist = _MIST if name == "mist" else 0.0
    return World(layers=[*kites, workshop, grass, *people, fence], mist=mist, clouds=name not in _CLEAR)
