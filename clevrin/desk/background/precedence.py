"""What is seen goes first: background work waits while somebody looks for a picture that is not there yet."""

import threading
from collections.abc import Callable

_LOOK_EVERY_S = 0.1


class Precedence:
    """Who is pressed for pictures; background work asks at every step whether it may go on.

    Playback is pressed while it has less made ahead than it needs, and single pictures while they are made: so
    measuring goes on beside playback where the machine is quick enough for both, and only there.
    """

    def __init__(self) -> None:
        self._pressed: set[str] = set()
        self._changed = threading.Condition()

    @property
    def pressed(self) -> frozenset[str]:
        """Who is waiting for pictures now."""
        with self._changed:
            return frozenset(self._pressed)

    def press(self, who: str, pressed: bool) -> None:
        """Says that somebody is pressed, or not any more."""
        with self._changed:
            if pressed == (who in self._pressed):
                return
            if pressed:
                self._pressed.add(who)
            else:
                self._pressed.discard(who)
                self._changed.notify_all()

    def give_way(self, stopped: Callable[[], bool]) -> None:
        """Waits while anybody is pressed, unless the work has been stopped."""
        with self._changed:
            while self._pressed and not stopped():
                self._changed.wait(_LOOK_EVERY_S)
