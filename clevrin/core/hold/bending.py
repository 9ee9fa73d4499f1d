"""What a mesh takes out beside the path: the unrest of a grid over the picture, bounded so that nothing bends.

Each knot of the trace's mesh has a path of its own beside that of the whole picture, as in Liu et al. 2013
(doi:10.1145/2461912.2461995); what of it is quicker than the settle is taken out. Departing from that paper, the
grid's second differences are bounded: a straight line of 300 pixels stays straight within half a pixel.
"""

import numpy as np
from numpy.typing import NDArray

from clevrin.core.document import Hold, Span
from clevrin.core.errors import NotMeasuredError
from clevrin.core.importing import importing
from clevrin.core.motion.trace.trace import Trace

Numbers = NDArray[np.float64]

MOST_BEND_PX = 0.45
"""How far the middle of a line of `OVER_PX` pixels may be from the chord of its ends."""
OVER_PX = 300.0


def bend_of(trace: Trace, span: Span, hold: Hold) -> Numbers:
    """(span.frames, rows, columns, 2): displacements of places on the source, in pixels. Costs about a millisecond.

    Raises `NotMeasuredError` where the trace has no mesh.
    """
    with importing:
        from scipy.ndimage import gaussian_filter1d

    if trace.mesh is None:
        raise NotMeasuredError("This take has not been measured with a mesh yet.")
    steps = trace.mesh[span.first : span.end].copy()
    steps[0] = 0.0
    course = np.cumsum(steps, axis=0)
    # As long as a settle is the knots' own course stays; what is quicker is unrest.
    slow_frames = max(1.0, hold.settle_s * float(trace.rate) / 4)
    quick = course - gaussian_filter1d(course, slow_frames, axis=0, mode="nearest")
    bends = _bends(quick, trace)
    share = np.minimum(1.0, MOST_BEND_PX / np.maximum(bends, 1e-9))
    # Less in one frame than in the next would itself be seen: the bound is slow.
    share = np.minimum(share, -gaussian_filter1d(-share, slow_frames, mode="nearest"))
    return np.asarray(quick * share[:, None, None, None])


def _bends(knots: Numbers, trace: Trace) -> Numbers:
    """(frames,): how far the middle of a line of 300 px is from its chord at worst."""
    rows, columns = knots.shape[1:3]
    worst = np.zeros(len(knots))
    for axis, spacing in ((2, trace.width / (columns - 1)), (1, trace.height / (rows - 1))):
        second = np.diff(knots, n=2, axis=axis)
        # A line over the kink of two cells that differ in slope by second / spacing.
        sag = np.hypot(second[..., 0], second[..., 1]) / spacing * OVER_PX / 4
        worst = np.maximum(worst, sag.max(axis=(1, 2)))
    return worst
