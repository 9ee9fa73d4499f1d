"""Large libraries are imported where they are first needed, by one thread at a time.

SciPy is a ring of packages that import each other: of two threads that begin with different ones at once, one may be
given a package that is half there, and its import fails.
"""

from threading import RLock

importing = RLock()
"""`with importing: from scipy.signal import butter`, wherever such an import stands in a function."""
