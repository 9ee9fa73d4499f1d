"""Clevrin: camera motion for film-makers, measured, calmed, and joined into one move."""

import os

# Motion is fitted in many small steps, over which the threads of the linear algebra spend more time meeting than
# working (measured: half of all processor time while a take is traced). It reads this when NumPy is first imported.
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")

__version__ = "0.1.0"
