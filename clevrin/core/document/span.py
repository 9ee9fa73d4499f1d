"""A range of frames."""

from typing import Self

from pydantic import Field

from clevrin.core.document.value import MOST_FRAMES, Value


class Span(Value):
    """Frames of a take from `first` up to, not including, `end`."""

    first: int = Field(ge=0, le=MOST_FRAMES)
    end: int = Field(le=MOST_FRAMES)

    def checked_together(self) -> Self:
        if self.end <= self.first:
            raise ValueError("a span needs at least one frame")
        return self

    @property
    def frames(self) -> int:
        return self.end - self.first

    def __contains__(self, frame: int) -> bool:
        return self.first <= frame < self.end
