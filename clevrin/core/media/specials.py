"""What is out of the ordinary in a film, in sentences: what happens by itself, and how to have it otherwise."""

from clevrin.core.document import MediaFacts

_RANGES = {"hlg": "HLG", "pq": "PQ"}


def specials(facts: MediaFacts) -> tuple[str, ...]:
    """A sentence for each thing that is special about a film; none for most films."""
    found = []
    if facts.variable:
        found.append(
            f"Its rate varies ({float(facts.rate):.2f} frames/s on average): each frame is shown at its own instant, "
            "or with “every frame” one after the other."
        )
    if facts.interlaced:
        found.append("It is interlaced: each frame is made whole from its first field.")
    if facts.aspect != 1:
        found.append(
            f"Its pixels are {float(facts.aspect):.3g} times as wide as high: it is shown as "
            f"{facts.width}x{facts.height}."
        )
    if facts.colour.hdr:
        found.append(
            f"Its light has a high range ({_RANGES[facts.colour.transfer]}): a reel of such takes alone keeps it, "
            "unless its format says otherwise; on screens and beside other takes it is brought into the standard one."
        )
    if not facts.tagged:
        name = {"bt601": "BT.601", "bt709": "BT.709", "bt2020": "BT.2020"}.get(facts.colour.matrix, "BT.709")
        found.append(f"It does not say what its colours are: those of {name} are taken, as its size suggests.")
    if facts.channels > 2:
        found.append(f"Its sound has {facts.channels} channels: they are folded to two.")
    return tuple(found)
