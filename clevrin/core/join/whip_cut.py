"""The whip cut: two shots trimmed to a matched pair of frames."""

from clevrin.core.document import Join, Shot, Span
from clevrin.core.document.model import Mirror
from clevrin.core.join.match import Proposal

DISSOLVE_FRAMES = 2
"""Enough to hide a small step in colour, too few to be seen as two pictures."""


def joined(
    outgoing: Shot,
    incoming: Shot,
    proposal: Proposal,
    frames: tuple[int, int],
    dissolve_frames: int = DISSOLVE_FRAMES,
) -> tuple[Shot, Shot]:
    """The two shots as a proposal wants them. `frames`: how many the outgoing and the incoming take have."""
    return (
        outgoing.changed(
            span=_cut(outgoing.span, proposal.out_frame, frames[0], ends=not proposal.reverse_out),
            reverse=proposal.reverse_out,
            leave=Join(kind="whip cut", dissolve_frames=dissolve_frames),
        ),
        incoming.changed(
            span=_cut(incoming.span, proposal.in_frame, frames[1], ends=proposal.reverse_in),
            reverse=proposal.reverse_in,
            mirror=combined(outgoing.mirror, proposal.mirror),
        ),
    )


def combined(first: Mirror, second: Mirror) -> Mirror:
    """Two mirrorings, one after the other."""
    parts = {None: 0, "horizontal": 1, "vertical": 2, "both": 3}
    names: dict[int, Mirror] = {0: None, 1: "horizontal", 2: "vertical", 3: "both"}
    return names[parts[first] ^ parts[second]]


def _cut(span: Span, frame: int, frames: int, *, ends: bool) -> Span:
    """The span up to and including a frame (`ends`), or from it on; its other end stays where it makes sense."""
    if ends:
        return Span(first=span.first if span.first <= frame else 0, end=frame + 1)
    return Span(first=frame, end=span.end if span.end > frame else frames)
