"""What a thread makes pictures from: its open films, and what is measured of them."""

from dataclasses import dataclass

from clevrin.core.closing import Closes
from clevrin.core.media.frame_memory import FrameMemory
from clevrin.core.media.proxies import ProxyShelf
from clevrin.core.render.measured.measurement_store import MeasurementStore
from clevrin.core.render.pixels.films import Films
from clevrin.core.shelf import Shelf


@dataclass(frozen=True, kw_only=True, eq=False)
class Sources(Closes):
    """Films of one thread, and measurements that threads may share. Close it, or use it in a `with`.

    Nothing here is part of the document, and nothing in it changes a picture: it only makes the next one quicker.
    """

    films: Films
    measured: MeasurementStore

    @staticmethod
    def of(
        measured: MeasurementStore | Shelf | None = None,
        proxies: ProxyShelf | None = None,
        memory: FrameMemory | None = None,
        *,
        light: bool = False,
        onward: bool = False,
    ) -> "Sources":
        """Sources of measurements, or of a shelf of them; None: of the user's own shelf. See `Films` for the rest."""
        store = measured if isinstance(measured, MeasurementStore) else MeasurementStore(measured)
        return Sources(
            films=Films(store.index, proxies, memory, store.shelf, light=light, onward=onward), measured=store
        )

    def close(self) -> None:
        self.films.close()
