"""Something passes before the lens, and behind its edge the other shot is there: an area of either take uncovers it."""

from clevrin.core.join.kinds.kind import (
    LENGTH,
    PEAK,
    AreaOf,
    Fit,
    JoinSetting,
    Kind,
    Made,
    Part,
    Seen,
    all_of_it,
    as_usual,
)


def _part(made: Made, at: float, leaving: bool) -> Part:
    area = made.word("area")
    if not area:
        return all_of_it(at, leaving)
    owns = leaving == (made.word("side") == "this")
    if not owns:
        return Part(share=1.0, rest=True)
    next_within = made.word("shows") == "within"
    # The next shot is seen within the area: so this one, where it owns the area, is seen beyond it.
    return Part(share=1.0, area=AreaOf(area=area, beyond=next_within == leaving))


def _fits(seen: Seen) -> Fit:
    if seen.before.areas:
        settings = (("area", seen.before.areas[-1]), ("side", "this"))
        return Fit(score=70, why="An area of the first shot uncovers the next one.", settings=settings)
    if seen.after.areas:
        settings = (("area", seen.after.areas[-1]), ("side", "next"))
        return Fit(score=64, why="An area of the next shot covers the first one.", settings=settings)
    return Fit(score=2, why="No area is made in either take: draw one in Log.")


PASSING_EDGE = Kind(
    id="passing edge",
    help="Something passes before the lens, and behind its edge is the next shot",
    long=True,
    overlaps=True,
    settings=(
        as_usual(LENGTH, 24.0),
        JoinSetting(
            id="area",
            title="Area",
            help="Which area uncovers the next shot, or covers this one; areas are made in Log",
            default="",
            names="area",
        ),
        JoinSetting(
            id="side",
            title="Area of",
            help="this: the area is of this shot; next: of the next one",
            default="this",
            options=("this", "next"),
        ),
        JoinSetting(
            id="shows",
            title="Next shot is seen",
            help="within the area, or beyond it",
            default="within",
            options=("within", "beyond"),
        ),
        PEAK,
    ),
    part=_part,
    fits=_fits,
)
