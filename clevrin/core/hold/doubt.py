"""First, do no harm: what a trace cannot tell from its own error is left as it was shot."""

import numpy as np
from numpy.typing import NDArray

from clevrin.core.document import Span
from clevrin.core.importing import importing
from clevrin.core.motion.trace.trace import Trace

Numbers = NDArray[np.float64]

_DOUBT = 4.0
_OVER_S = 0.5


def trusted(trace: Trace, span: Span, moved_px: Numbers, *, corners: bool) -> Numbers:
    """(n,): 0 to 1, how much of a correction that moves the picture so far (n,) is more than the trace's own error.

    The share of the signal in what was measured (Wiener 1949), over half a second, with the error taken twice as large
    as the trace states it. `corners`: whether the correction moves the picture's corners or all of it.
    """
    with importing:
        from scipy.ndimage import gaussian_filter1d

    if trace.sigma_px is None:
        return np.ones(len(moved_px))
    sigma = trace.sigma_px[span.first : span.end, int(corners)]
    # Of what is not known at all nothing can be said: such frames lie on the way between others.
    noise = np.where(np.isfinite(sigma), sigma, 0.0) ** 2
    over = _OVER_S * float(trace.rate)
    signal = gaussian_filter1d(moved_px**2, over, mode="nearest")
    noise = gaussian_filter1d(noise, over, mode="nearest")
    return np.asarray(np.clip(1 - _DOUBT * noise / np.maximum(signal, 1e-12), 0, 1))


def harmless(trace: Trace, span: Span, corrections: Numbers) -> Numbers:
    """Corrections (n, 4) as a, b, x, y of which only what is surely shake is left, each axis by itself."""
    radius = float(np.hypot(*trace.centre))
    off = corrections - (1.0, 0.0, 0.0, 0.0)
    scales = (radius, radius, 1.0, 1.0)
    trust = [trusted(trace, span, off[:, k] * scales[k], corners=k < 2) for k in range(4)]
    return np.asarray((1.0, 0.0, 0.0, 0.0) + off * np.stack(trust, axis=1))
