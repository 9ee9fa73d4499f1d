"""In which colours a reel is made, and how deep."""

from clevrin.core.document import Project
from clevrin.core.document.colour import BT709, Colour
from clevrin.core.pace import placed_shots


def reel_colour(project: Project) -> Colour:
    """The high range of the takes where all on the reel have the same and the reel keeps it, else BT.709."""
    facts = [placed.take.facts for placed in placed_shots(project)]
    if project.reel.light == "standard" or not facts or not all(each.colour.hdr for each in facts):
        return BT709
    first = facts[0].colour.home
    return first if all(each.colour.home == first for each in facts) else BT709


def reel_deep(project: Project) -> bool:
    """Whether a take on the reel has more than 8 bits a sample: then what is made of it has, too."""
    return any(placed.take.facts.deep for placed in placed_shots(project))


def reel_clear(project: Project) -> bool:
    """Whether parts of the reel's pictures are to stay clear."""
    return any(placed.shot.hold.edge == "clear" for placed in placed_shots(project))
