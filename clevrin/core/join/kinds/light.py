"""Joins by light: a flash, and a dip into a colour."""

from clevrin.core.join.kinds.kind import LENGTH, PEAK, After, JoinSetting, Kind, Made, Wash, as_usual

_WHITE, _BLACK = "#ffffff", "#000000"
_BRIGHTER = 3.0


def _flash(made: Made, at: float) -> tuple[After, ...]:
    risen = made.course.strength(at)
    strength = made.number("strength")
    wash = Wash(
        colour=made.word("colour"),
        share=strength * risen**2,
        gain=1 + _BRIGHTER * strength * risen,
        bloom=made.number("bloom") * risen,
    )
    return (wash,) if risen > 0 else ()


def _dip(made: Made, at: float) -> tuple[After, ...]:
    risen = made.course.strength(at)
    return (Wash(colour=made.word("colour"), share=min(1.0, risen * 1.05)),) if risen > 0 else ()


FLASH = Kind(
    id="flash",
    help="Light rises over the cut and falls again",
    long=True,
    settings=(
        as_usual(LENGTH, 6.0),
        JoinSetting(id="colour", title="Colour", help="The colour of the light", default=_WHITE, colour=True),
        JoinSetting(id="strength", title="Strength", help="How bright it gets: 1 is nothing but light", default=1.0),
        JoinSetting(id="bloom", title="Bloom", help="How much of what is bright spreads", default=0.5),
        PEAK,
    ),
    effects=_flash,
)
DIP = Kind(
    id="dip",
    help="The picture goes into a colour, and the next comes out of it",
    long=True,
    settings=(
        as_usual(LENGTH, 20.0),
        JoinSetting(id="colour", title="Colour", help="The colour between both", default=_BLACK, colour=True),
        PEAK,
    ),
    effects=_dip,
)
