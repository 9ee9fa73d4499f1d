"""What the keys of playing do, wherever the focus is."""

from PySide6.QtWidgets import QAbstractButton, QApplication, QSlider

from clevrin.desk.playback.player import Player


class Playing:
    """Plays, stops and steps; a button or slider that was reached with Tab is meant instead."""

    def __init__(self, player: Player) -> None:
        self._player = player

    def toggle(self) -> None:
        """Plays or stops, or presses the button that was reached with Tab."""
        focused = QApplication.focusWidget()
        if isinstance(focused, QAbstractButton):
            focused.click()
        else:
            self._player.toggle()

    def shuttle(self, way: int) -> None:
        """Plays forward (1), backward (-1), or stops (0)."""
        if way:
            self._player.shuttle(way)
        else:
            self._player.stop()

    def step(self, frames: int) -> None:
        """Moves by some frames, or moves the slider that was reached with Tab."""
        focused = QApplication.focusWidget()
        if isinstance(focused, QSlider):
            focused.setValue(focused.value() + frames)
            return
        self._player.stop()
        self._player.seek(self._player.frame + frames)

    def go_to_end(self, way: int) -> None:
        """Looks at the first (-1) or last (1) frame of what the bench shows."""
        programme = self._player.programme
        if programme is not None:
            self._player.stop()
            self._player.seek(programme.first if way < 0 else programme.end - 1)
