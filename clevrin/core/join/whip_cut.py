"""The whip cut: two shots trimmed to a matched pair of frames."""

from clevrin.core.document import Join, Shot
from clevrin.core.document.model import Mirror
from clevrin.core.join.match import Proposal, cut

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
        outgoing.played(reverse=proposal.reverse_out).changed(
            span=cut(outgoing.span, proposal.out_frame, frames[0], ends=not proposal.reverse_out),
            leave=Join(kind="whip cut", dissolve_frames=dissolve_frames),
        ),
        incoming.played(reverse=proposal.reverse_in).changed(
            span=cut(incoming.span, proposal.in_frame, frames[1], ends=proposal.reverse_in),
            mirror=combined(outgoing.mirror, proposal.mirror),
            turns=proposal.turns,
        ),
    )


def cut_at(shots: tuple[Shot, Shot], frames: tuple[int, int], lengths: tuple[int, int]) -> tuple[Shot, Shot]:
    """Two shots cut so that the first one leaves at a frame of its take, and the next one arrives at one of its own.

    `lengths`: how many frames the takes have.
    """
    outgoing, incoming = shots
    return (
        outgoing.changed(span=cut(outgoing.span, frames[0], lengths[0], ends=not outgoing.reverse)),
        incoming.changed(span=cut(incoming.span, frames[1], lengths[1], ends=incoming.reverse)),
    )


def combined(first: Mirror, second: Mirror) -> Mirror:
    """Two mirrorings, one after the other."""
    parts = {None: 0, "horizontal": 1, "vertical": 2, "both": 3}
    names: dict[int, Mirror] = {0: None, 1: "horizontal", 2: "vertical", 3: "both"}
    return names[parts[first] ^ parts[second]]
