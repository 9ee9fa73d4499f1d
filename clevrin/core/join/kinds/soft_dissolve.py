"""One picture passes into the other, both going on."""

from clevrin.core.join.kinds.kind import EASE, LENGTH, PEAK, Kind, Made, Part, as_usual


def _part(made: Made, at: float, leaving: bool) -> Part:
    arrived = made.course.gone(at)
    return Part(share=1 - arrived if leaving else arrived)


SOFT_DISSOLVE = Kind(
    id="soft dissolve",
    help="One picture passes into the other, both going on",
    long=True,
    overlaps=True,
    settings=(as_usual(LENGTH, 20.0), PEAK, EASE),
    part=_part,
)
