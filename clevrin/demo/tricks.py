"""A second demo project: what hangs on an area. A word behind walkers, somebody past the lens, a window, a kite."""

import numpy as np
from numpy.typing import NDArray

from clevrin.core.document import (
    Area,
    AreaPart,
    Around,
    CutOut,
    Drawn,
    Hold,
    Join,
    Other,
    Outline,
    Pinned,
    Placement,
    Project,
    Reel,
    Shot,
    Span,
    Take,
    Track,
    Words,
)
from clevrin.core.join.laying import laid_by_places
from clevrin.core.media.taking_in import take_in
from clevrin.demo.footage_maker import FOOTAGE

Numbers = NDArray[np.float64]

NAME = "Kite day, in between"
_WORD = ((430.0, 410.0), (1010.0, 410.0), (1010.0, 560.0), (430.0, 560.0))
_WINDOW = ((598.0, 407.0), (712.0, 408.0), (711.0, 531.0), (597.0, 530.0))
_FLIER_AT = ((25, 1203.0), (31, 1108.0), (37, 884.0), (43, 616.0), (49, 356.0), (55, 178.0))
"""Where the middle of who comes past is, on frames."""
_KITE, _KITE_SIGN = ((812.5, 105.5), 19.5), ((841.5, 113.6), 42.0)
"""A kite and the sign that is one, where the one is cut to the other: the middle, and half of the height."""


def tricks_project() -> Project:
    """The meadow with a word in it; a flier passes the lens; through the workshop's window; from a kite to its sign."""
    meadow, flier, bunting, hill, walk = (
        take_in(FOOTAGE / f"{name}.mp4") for name in ("tripod", "flier", "bunting", "hill", "walk-past")
    )
    meadow = _with_cut_outs(meadow, ("walker", (646, 391, 741, 719), 50), ("other walker", (784, 388, 928, 719), 50))
    bunting = _with_cut_outs(bunting, ("passer-by", (548, 436, 630, 690), 85))
    window = Track(id="window", name="window", kind="surface", placed=(Placement(frame=85, places=_WINDOW),))
    bunting = bunting.changed(tracks=(window,))
    flier = _with_passage(flier)
    return Project(
        name=NAME,
        takes=(meadow, flier, bunting, hill, walk),
        reel=Reel(rate=meadow.facts.rate, width=1280, height=720, shots=_shots(meadow, flier, bunting, hill, walk)),
    )


def _shots(meadow: Take, flier: Take, bunting: Take, hill: Take, walk: Take) -> tuple[Shot, ...]:
    word = Pinned(
        name="KITE DAY",
        of=Words(text="KITE DAY", colour="#ffe9b0", shadow=0.05),
        frame=50,
        corners=_WORD,
        first=14,
        comes=8,
        behind=tuple(area.id for area in meadow.areas),
    )
    size = hill.facts.width, hill.facts.height
    onto = laid_by_places(*(_about(place, half, size) for place, half in (_KITE, _KITE_SIGN)))
    passing = Join(kind="passing edge").having(area="passage", length=40.0)
    through = Join(kind="doorway").having(surface="window", area="passer-by", length=34.0, appears=8.0)
    match = Join(kind="match cut").having(**onto.settings, who="outgoing", length=30.0)
    return (
        Shot(take_id=meadow.id, span=Span(first=10, end=80), pinned=(word,)),
        Shot(take_id=flier.id, span=Span(first=4, end=44), hold=Hold(how="float"), leave=passing),
        Shot(take_id=bunting.id, span=Span(first=44, end=112), hold=Hold(how="float"), leave=through),
        Shot(take_id=hill.id, span=Span(first=44, end=120), leave=match),
        Shot(take_id=walk.id, span=Span(first=104, end=126)),
    )


def _about(place: tuple[float, float], half: float, size: tuple[int, int]) -> Numbers:
    """The top and the foot of something, in widths from the picture's middle."""
    x, y = place
    ends = np.array([[x, y - half], [x, y + half]])
    return np.asarray((ends - (np.array(size) - 1) / 2) / size[0])


def _with_cut_outs(take: Take, *subjects: tuple[str, tuple[float, float, float, float], int]) -> Take:
    """A take with subjects that are cut out, each from the box about it on a frame."""
    areas = tuple(
        Area(id=name.replace(" ", "-"), name=name, parts=(AreaPart(of=_cut_out(box, frame)),))
        for name, box, frame in subjects
    )
    return take.changed(areas=areas)


def _cut_out(box: tuple[float, float, float, float], frame: int) -> CutOut:
    return CutOut(around=(Around(frame=frame, box=box),))


def _with_passage(take: Take) -> Take:
    """The take in which somebody passes the lens, with what lies behind them as they go: all to their right."""
    outlines = tuple(Outline(frame=frame, places=((x, 720.0), (x, 0.0))) for frame, x in _FLIER_AT)
    behind = Drawn(shape="half-plane", outlines=outlines, along="nothing")
    body = Area(id="flier", name="flier", parts=(AreaPart(of=_cut_out((508, 0, 998, 719), 40)),))
    passage = Area(
        id="passage",
        name="behind the flier",
        parts=(AreaPart(of=behind), AreaPart(of=Other(area_id=body.id), mode="without")),
    )
    return take.changed(areas=(body, passage))
