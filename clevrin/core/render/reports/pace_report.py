"""What a paced shot showed, frame by frame: which moments, what they were made of, and how far that can be trusted."""

from dataclasses import dataclass
from typing import Literal

from clevrin.core.pace import Placed
from clevrin.core.render.picture import trust_of
from clevrin.core.render.pixels.films import Films
from clevrin.core.render.plan import Layer, Row9
from clevrin.core.render.planning.layers import plan_shown
from clevrin.core.render.resolving.resolving import ResolvedShot, Shown

MadeOf = Literal["frame", "mix", "flow", "gathered"]


@dataclass(frozen=True, kw_only=True)
class FrameFigures:
    """Of one frame of the reel: the moment of the take in frames, what it is made of, and from how many samples.

    `trust`: how much of the picture could be followed, 0 to 1; 1 where nothing was invented; None where it is not
    known yet. `added_blur_px`: how long the added blur is where it is longest.
    """

    instant: float
    made_of: MadeOf
    trust: float | None
    samples: int
    added_blur_px: float
    src_from_out: Row9


def pace_figures(resolved: ResolvedShot, placed: Placed, size: tuple[int, int], films: Films) -> list[FrameFigures]:
    """The figures of all frames of a shot; trust as far as `films` made its pictures."""
    return [
        _figures(plan_shown(shown, size, size), resolved, films)
        for shown in (
            Shown(resolved=resolved, placed=placed, at=at, weight=1.0) for at in range(placed.start, placed.end)
        )
    ]


def _figures(layer: Layer, resolved: ResolvedShot, films: Films) -> FrameFigures:
    invented = [each for each in layer.samples if each.between is not None]
    trust = trust_of(layer, resolved.take, films)
    made: MadeOf = "frame"
    if len(layer.samples) > 1:
        made = "gathered"
    elif invented and trust != 0.0:  # across a cut no moment is made
        made = invented[0].between.made if invented[0].between is not None else "frame"
    shown = layer.middle.instant if made != "frame" or not invented else round(layer.middle.instant)
    return FrameFigures(
        instant=float(shown),
        made_of=made,
        trust=trust,
        samples=len(layer.samples),
        added_blur_px=layer.added_blur_px,
        src_from_out=layer.src_from_out,
    )
