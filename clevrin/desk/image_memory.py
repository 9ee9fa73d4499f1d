"""Pictures that were drawn or made, the last used ones kept within a number of bytes."""

from collections import OrderedDict
from collections.abc import Hashable, Iterator

from PySide6.QtGui import QImage


class ImageMemory:
    """Images by key, of the interface thread; those that have not been asked for the longest make place."""

    def __init__(self, most_bytes: int) -> None:
        self._most = most_bytes
        self._images: OrderedDict[Hashable, QImage] = OrderedDict()
        self._total = 0

    @property
    def kept_bytes(self) -> int:
        return self._total

    def __iter__(self) -> Iterator[Hashable]:
        return iter(self._images)

    def get(self, key: Hashable) -> QImage | None:
        image = self._images.get(key)
        if image is not None:
            self._images.move_to_end(key)
        return image

    def put(self, key: Hashable, image: QImage) -> QImage:
        """Keeps an image, and gives it back; the newest is kept however large it is."""
        before = self._images.pop(key, None)
        if before is not None:
            self._total -= before.sizeInBytes()
        self._images[key] = image
        self._total += image.sizeInBytes()
        while self._total > self._most and len(self._images) > 1:
            self._total -= self._images.popitem(last=False)[1].sizeInBytes()
        return image
