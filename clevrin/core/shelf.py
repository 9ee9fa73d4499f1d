"""The shelf of measurements: files in the user's cache folder, keyed by what was measured and how."""

import contextlib
import hashlib
import io
from collections.abc import Mapping, Sequence
from pathlib import Path

import numpy as np
import platformdirs
from numpy.typing import NDArray

from clevrin.core.errors import ClevrinError
from clevrin.core.media.cache_room import SHELF_KINDS, keep, own_files

Arrays = Mapping[str, NDArray]


class Shelf:
    """Keeps named arrays as `.npz` files; a damaged one counts as absent and is thrown away.

    Safe to delete at any time. Where the folder cannot be written, nothing is kept and nothing is said:
    what is measured is then measured again.
    """

    def __init__(self, folder: Path | None = None) -> None:
        """`folder` None: the user's cache folder."""
        self.folder = folder or Path(platformdirs.user_cache_dir("clevrin"))

    def get(self, *key: str, only: Sequence[str] | None = None) -> dict[str, NDArray] | None:
        """What is kept, or the arrays of it that are named, which is quicker where there is much beside them."""
        path = self._path(key)
        try:
            with np.load(io.BytesIO(path.read_bytes()), allow_pickle=False) as stored:
                return {name: stored[name] for name in (only or stored.files)}
        except FileNotFoundError:
            return None
        except Exception:  # archives are unpacked by three libraries, each with errors of its own
            with contextlib.suppress(OSError):
                path.unlink()
            return None

    def put(self, arrays: Arrays, *key: str, squeezed: bool = False) -> None:
        """Keeps arrays; `squeezed`: they are as small as they get already."""
        write = np.savez if squeezed else np.savez_compressed
        keep(self.folder, self._path(key), lambda file: write(file, **dict(arrays)))  # type: ignore[arg-type]

    def drop(self, *key: str) -> None:
        with contextlib.suppress(OSError):
            self._path(key).unlink(missing_ok=True)

    def size(self) -> tuple[int, int]:
        """How many files are kept, and how many bytes they take."""
        sizes = []
        for path in own_files(self.folder):
            with contextlib.suppress(OSError):
                sizes.append(path.stat().st_size)
        return len(sizes), sum(sizes)

    def clear(self) -> None:
        """Throws away all that is kept, and no other file. Raises `ClevrinError` where something is left."""
        for path in own_files(self.folder):
            try:
                path.unlink(missing_ok=True)
            except OSError as error:
                raise ClevrinError(f"{path} cannot be thrown away: {error.strerror}.") from error

    def _path(self, key: tuple[str, ...]) -> Path:
        kind, *rest = key
        assert kind in SHELF_KINDS, f"{kind} is no kind of what is kept"
        name = hashlib.sha256("\n".join(rest).encode()).hexdigest()[:40]
        return self.folder / kind / f"{name}.npz"
