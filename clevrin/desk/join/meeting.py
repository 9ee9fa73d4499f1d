"""Two shots as they meet at a cut, to be drawn."""

from dataclasses import dataclass

from clevrin.core.document import Project, Shot, Take
from clevrin.core.join.between import OnScreen


@dataclass(frozen=True, kw_only=True)
class Meeting:
    """Two shots as they would meet, and the reel they are on."""

    project: Project
    outgoing: Shot
    outgoing_take: Take
    incoming: Shot
    incoming_take: Take
    reel_size: tuple[int, int]
    made: OnScreen | None = None
    """How fast the picture moves with what the join makes of it."""

    @property
    def out_frame(self) -> int:
        """The last frame that is shown of the outgoing side."""
        span = self.outgoing.span
        return span.first if self.outgoing.reverse else span.end - 1

    @property
    def in_frame(self) -> int:
        """The first frame that is shown of the incoming side."""
        span = self.incoming.span
        return span.end - 1 if self.incoming.reverse else span.first
