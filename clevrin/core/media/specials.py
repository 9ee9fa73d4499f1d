"""What is out of the ordinary in a film, in sentences: what happens by itself, and how to have it otherwise."""

import re
from collections.abc import Iterator

from clevrin.core.document import MediaFacts

_CLEAR = re.compile("yuva|gbrap|rgba|bgra|argb|abgr|ya")
"""Names of pixel formats that say how much of each pixel is there."""
_RANGES = {"hlg": "HLG", "pq": "PQ"}


def specials(facts: MediaFacts) -> tuple[str, ...]:
    """A sentence for each thing that is special about a film; none for most films."""
    return tuple(sentence for _, sentence in _found(facts))


def special_words(facts: MediaFacts) -> tuple[str, ...]:
    """The same in a word or two each."""
    return tuple(words for words, _ in _found(facts))


def _found(facts: MediaFacts) -> Iterator[tuple[str, str]]:
    if facts.variable:
        yield (
            "varying rate",
            f"Its rate varies ({float(facts.rate):.2f} frames/s on average): each frame is shown at its own instant, "
            "or with “every frame” one after the other.",
        )
    if facts.interlaced:
        yield "interlaced", "It is interlaced: each frame is made whole from its first field."
    if facts.aspect != 1:
        yield (
            "wide pixels",
            f"Its pixels are {float(facts.aspect):.3g} times as wide as high: it is shown as "
            f"{facts.width}x{facts.height}.",
        )
    if facts.colour.hdr:
        yield (
            f"high range ({_RANGES[facts.colour.transfer]})",
            f"Its light has a high range ({_RANGES[facts.colour.transfer]}): a reel of such takes alone keeps it, "
            "unless its format says otherwise; on screens and beside other takes it is brought into the standard one.",
        )
    if not facts.tagged:
        name = {"bt601": "BT.601", "bt709": "BT.709", "bt2020": "BT.2020"}.get(facts.colour.matrix, "BT.709")
        yield (
            "colours not named",
            f"It does not say what its colours are: those of {name} are taken, as its size suggests.",
        )
    if _CLEAR.match(facts.pixel_format):
        yield "clear parts", "Parts of it may be clear: it is shown in full all the same, with what lies there."
    if facts.channels > 2:
        yield (
            f"{facts.channels} channels",
            f"Its sound has {facts.channels} channels: they are folded to two.",
        )
