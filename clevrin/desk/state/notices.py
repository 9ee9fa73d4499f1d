"""What the window says of itself: how something ended, in the job strip, and what went wrong, under the header."""

from pathlib import Path

from PySide6.QtCore import QObject, Signal


class Notices(QObject):
    """Words from anywhere to the window; whoever has something to say knows no widget."""

    told = Signal(str, object)
    """How something ended, and the file that can be looked at (None: there is none)."""
    troubled = Signal(str)
    """What went wrong, in sentences; empty when that is over."""

    def tell(self, words: str, file: Path | None = None) -> None:
        self.told.emit(words, file)

    def trouble(self, sentence: str) -> None:
        self.troubled.emit(sentence)

    def all_well(self) -> None:
        """What went wrong before is over."""
        self.troubled.emit("")
