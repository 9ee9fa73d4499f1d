"""One picture passes into the other, both going on."""

from clevrin.core.join.kinds.kind import EASE, LENGTH, PEAK, Fit, Kind, Made, Part, Seen, as_usual


def _part(made: Made, at: float, leaving: bool) -> Part:
    arrived = made.course.gone(at)
    return Part(share=1 - arrived if leaving else arrived)


def _fits(seen: Seen) -> Fit:
    if seen.before.even or seen.after.even:
        return Fit(score=72, why="There is nothing in one of the pictures: the other comes out of it.")
    if seen.before.still and seen.after.still:
        return Fit(score=50, why="Both shots are calm: time goes by.")
    return Fit(score=26 + 14 * (1 - seen.apart), why="Both pictures are seen while they move.")


SOFT_DISSOLVE = Kind(
    id="soft dissolve",
    help="One picture passes into the other, both going on",
    long=True,
    overlaps=True,
    settings=(as_usual(LENGTH, 20.0), PEAK, EASE),
    part=_part,
    fits=_fits,
)
