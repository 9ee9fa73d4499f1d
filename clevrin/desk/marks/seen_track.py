"""A track as it stands on the frame that is looked at."""

from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from clevrin.core.document import Track


@dataclass(frozen=True, kw_only=True, eq=False)
class SeenTrack:
    """`places` (corners, 2) in pixels of the take's picture.

    `source` says why it is there: somebody placed it, it was followed, or it was lost and this is the last that is
    known of it.
    """

    track: Track
    places: NDArray[np.float64]
    source: Literal["placed", "followed", "lost"]
    confidence: float
