"""Joins by light: a flash, and a dip into a colour."""

from clevrin.core.join.kinds.kind import LENGTH, PEAK, After, Fit, JoinSetting, Kind, Made, Seen, Wash, as_usual

_WHITE, _BLACK = "#ffffff", "#000000"
_BRIGHTER = 3.0
_OTHER_LIGHT, _DARK = 15.0, 12.0
"""In CIELAB: from this difference on the light is another one; under this lightness it is dark."""


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


def _flash_fits(seen: Seen) -> Fit:
    brighter = seen.after.lightness - seen.before.lightness
    if brighter > _OTHER_LIGHT:
        return Fit(score=54 + min(8.0, brighter / 6), why="The next shot is brighter: the light opens up into it.")
    if seen.on_beat:
        return Fit(score=48, why="Light on the beat.")
    return Fit(score=30, why="Light hides the cut.")


def _dip_fits(seen: Seen) -> Fit:
    dark = min(seen.before.lightness, seen.after.lightness) < _DARK
    if dark:
        return Fit(score=70, why="One of the shots is dark at the cut already.")
    if seen.colour_delta_e > 2 * _OTHER_LIGHT:
        return Fit(score=42, why="Another light, another place: a breath between both.")
    return Fit(score=24, why="A breath between both.")


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
    fits=_flash_fits,
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
    fits=_dip_fits,
)
