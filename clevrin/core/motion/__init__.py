"""Measuring how the camera moved and how blurred each frame is: the trace, its whips, its files."""

from clevrin.core.motion.trace.trace import Model, Trace
from clevrin.core.motion.whips import Whip, find_whips

__all__ = ["Model", "Trace", "Whip", "find_whips"]
