"""The command that says what a footage file is."""

from clevrin.cli.options import Json, Media
from clevrin.cli.terminal import print_json, print_line
from clevrin.core.media.probe import probe as probe_media
from clevrin.core.media.specials import specials


def probe(media: Media, json: Json = False) -> None:
    """Says what a footage file is."""
    facts = probe_media(media)
    rate = f"{facts.rate.numerator}/{facts.rate.denominator}"
    values = {**facts.model_dump(mode="json"), "rate": rate, "special": specials(facts)}
    if json:
        print_json(values)
        return
    for name, value in values.items():
        if name == "colour":
            value = ", ".join(str(part) for part in value.values() if not isinstance(part, bool))
        if name != "special":
            print_line(f"{name}: {value}")
    for sentence in specials(facts):
        print_line(sentence)
