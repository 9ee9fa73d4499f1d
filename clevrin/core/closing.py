"""What is to be closed, as a context manager."""

from types import TracebackType
from typing import Self


class Closes:
    """Is closed when a `with` ends, however that is."""

    def close(self) -> None:
        """Lets go of what it holds."""
        raise NotImplementedError

    def __enter__(self) -> Self:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self.close()
