"""Through a screen, a window, a print: a followed surface of one shot shows the other, until that fills the picture."""

from clevrin.core.join.kinds.kind import (
    EASE,
    LENGTH,
    SHUTTER,
    AreaOf,
    Door,
    Fit,
    JoinSetting,
    Kind,
    Made,
    Part,
    Seen,
    Values,
    all_of_it,
    as_usual,
    nearness_in_time,
    softly,
)


def _part(made: Made, at: float, leaving: bool) -> Part:
    surface, into = made.word("surface"), made.word("way") == "in"
    outside = leaving == into
    if not surface:
        return all_of_it(at, leaving)
    frames = max(1, made.before if into else made.after)
    ease = made.number("ease", 1.0)

    def gone(time: float) -> float:
        """How far it has gone in: it begins softly, and is at rest in the frame in which only one shot is left."""
        share = nearness_in_time(time, frames)
        return ease * softly(share) + (1 - ease) * share

    turns = float(round(made.number("roll")))
    if outside:
        area = made.word("area")
        front = AreaOf(area=area, beyond=made.word("is") == "the opening") if area else None
        return Part(share=1.0, door=Door(surface=surface, gone=gone, inside=False, turns=turns), front=front)
    since = at + frames if into else frames - at
    appears = made.number("appears")
    share = 1.0 if appears <= 0 else min(max(since / appears, 0.0), 1.0)
    share *= 1 - made.number("stays") * (1 - gone(at))  # less and less of the surface's own picture lies over it
    return Part(share=share, door=Door(surface=surface, gone=gone, inside=True))


def _cut_after(values: Values) -> float:
    return 1.0 if values["way"] == "in" else 0.0


def _fits(seen: Seen) -> Fit:
    if seen.before.surfaces:
        settings = (("surface", seen.before.surfaces[0]), ("way", "in"))
        return Fit(score=72, why="Through the surface that is followed into the next shot.", settings=settings)
    if seen.after.surfaces:
        settings = (("surface", seen.after.surfaces[0]), ("way", "out"))
        return Fit(score=66, why="Out of the surface that is followed in the next shot.", settings=settings)
    return Fit(score=2, why="No surface is followed in either take: follow one in Log.")


DOORWAY = Kind(
    id="doorway",
    help="A screen, a window or a print of this shot shows the next one, and the picture goes through it",
    long=True,
    overlaps=True,
    cut_after=_cut_after,
    settings=(
        as_usual(LENGTH, 36.0),
        JoinSetting(
            id="surface",
            title="Surface",
            help="Which followed surface it goes through; it is followed in Log",
            default="",
            names="surface",
        ),
        JoinSetting(
            id="way",
            title="Way",
            help="in: through a surface of this shot into the next; out: out of a surface of the next shot",
            default="in",
            options=("in", "out"),
        ),
        JoinSetting(
            id="appears",
            title="Appears in",
            help="In how many frames the other shot comes to be seen in the surface; 0: at once",
            default=6.0,
            unit="frames",
            low=0,
            high=60,
            step=1,
        ),
        JoinSetting(
            id="area",
            title="Area",
            help="An area of the take of the surface: what passes before it, or the opening; areas are made in Log",
            default="",
            names="area",
            optional=True,
        ),
        JoinSetting(
            id="is",
            title="The area",
            help="passes before: the other shot is seen behind it; the opening: it is seen there alone",
            default="passes before",
            options=("passes before", "the opening"),
        ),
        JoinSetting(
            id="stays",
            title="Surface stays",
            help="How much of the surface's own picture stays over what is seen in it: its reflections, its grain",
            default=0.0,
            low=0,
            high=0.9,
            step=0.01,
        ),
        JoinSetting(
            id="roll",
            title="Roll",
            help="Whole turns of the picture on the way through, clockwise; below 0 the other way",
            default=0.0,
            unit="turns",
            low=-2,
            high=2,
            step=1,
        ),
        EASE,
        SHUTTER,
    ),
    part=_part,
    fits=_fits,
)
