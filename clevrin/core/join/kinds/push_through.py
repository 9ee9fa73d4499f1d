"""A zoom that was not shot: through a point of one picture into the next."""

from clevrin.core.join.kinds.kind import (
    EASE,
    LENGTH,
    PEAK,
    SHUTTER,
    Fit,
    JoinSetting,
    Kind,
    Made,
    Matrix,
    Part,
    Seen,
    all_of_it,
    as_usual,
    turn_and_grow,
)


def _part(made: Made, at: float, leaving: bool) -> Part:
    times = made.number("times")
    if made.word("way") == "out":
        times = 1 / times
    side = "out" if leaving else "in"
    centre = made.number(f"{side}_x") - 0.5, (made.number(f"{side}_y") - 0.5) * made.sides.aspect
    roll = made.number("roll")

    def move(time: float) -> Matrix:
        gone = made.away(time, leaving)
        return turn_and_grow(roll * gone, times**gone, centre)

    return all_of_it(at, leaving, move)


def _place(side: str, axis: str, words: str) -> JoinSetting:
    across = "from the left" if axis == "x" else "from the top"
    return JoinSetting(
        id=f"{side}_{axis}",
        title=f"{words}, {across}",
        help=f"The point of this side through which it goes, as a share of the picture {across}",
        default=0.5,
    )


def _fits(seen: Seen) -> Fit:
    both = seen.before.grows + seen.after.grows
    way = ("way", "out" if both < 0 else "in")
    if not both:
        return Fit(score=54, why="Through the middle of one picture into the next.", settings=(way,))
    word = "pull back" if both < 0 else "push"
    faster = max(abs(seen.before.growth), abs(seen.after.growth))
    return Fit(score=60 + min(30.0, 20 * faster), why=f"It goes on with the {word}.", settings=(way,))


PUSH_THROUGH = Kind(
    id="push-through",
    help="A zoom that was not shot: through a point of this picture into the next",
    long=True,
    settings=(
        as_usual(LENGTH, 12.0),
        JoinSetting(id="way", title="Way", help="Into the picture, or out of it", default="in", options=("in", "out")),
        JoinSetting(
            id="times",
            title="Zoom",
            help="How many times it enlarges in all",
            default=4.0,
            unit="times",
            low=1.2,
            high=16,
            step=0.1,
        ),
        _place("out", "x", "Leaves through"),
        _place("out", "y", "Leaves through"),
        _place("in", "x", "Arrives at"),
        _place("in", "y", "Arrives at"),
        JoinSetting(
            id="roll",
            title="Roll",
            help="By how much it turns on the way",
            default=0.0,
            unit="°",
            low=-360,
            high=360,
            step=1,
        ),
        PEAK,
        EASE,
        SHUTTER,
    ),
    part=_part,
    fits=_fits,
)
