"""Motion CSV: the trace as a table that other tools can read."""

import csv
import io

from clevrin.core.motion.trace.trace import Trace
from clevrin.core.plain_text import one_line

_UNKNOWN = (float("nan"), float("nan"))
COLUMNS = (
    *("frame", "time_s"),
    *(f"h{row}{column}" for row in range(3) for column in range(3)),
    *(
        "dx_px",
        "dy_px",
        "roll_deg",
        "scale",
        "speed_px",
        "angle_deg",
        "blur_px",
        "blur_angle_deg",
        "confidence",
        "sigma_centre_px",
        "sigma_corner_px",
    ),
)


def motion_csv(trace: Trace, media_name: str) -> str:
    """The table as text: `#` lines with the format, the media's name, size and rate, then a row a frame."""
    text = io.StringIO()
    text.write("# clevrin-motion 1\n")
    text.write(f"# media {one_line(media_name)}\n")
    text.write(f"# size {trace.width}x{trace.height}\n")
    text.write(f"# rate {trace.rate.numerator}/{trace.rate.denominator}\n")
    writer = csv.writer(text, lineterminator="\n")
    writer.writerow(COLUMNS)
    for frame in range(trace.frames):
        dx, dy = trace.displacement_px[frame]
        figures = [
            *trace.motions[frame].reshape(-1),
            dx,
            dy,
            trace.roll_deg[frame],
            trace.scale[frame],
            trace.speed_px[frame],
            trace.angle_deg[frame] if trace.speed_px[frame] > 0 else 0.0,
            trace.blur_px[frame],
            trace.blur_angle_deg[frame] if trace.blur_px[frame] > 0 else 0.0,
            trace.confidence[frame],
            *(_UNKNOWN if trace.sigma_px is None else trace.sigma_px[frame]),
        ]
        writer.writerow([frame, f"{trace.times_s[frame]:.6f}", *(f"{value + 0.0:.9g}" for value in figures)])
    return text.getvalue()
