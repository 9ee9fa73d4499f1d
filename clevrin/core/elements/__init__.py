"""What is pinned into a scene, as pictures: words, drawings, and how they take on light and grain of a take."""

from clevrin.core.elements.drawings import SUFFIXES, read_drawing
from clevrin.core.elements.grain import Grain, grain_of
from clevrin.core.elements.letters import missing_letters, missing_words, set_words
from clevrin.core.elements.raster import Raster, raster_of

__all__ = [
    "SUFFIXES",
    "Grain",
    "Raster",
    "grain_of",
    "missing_letters",
    "missing_words",
    "raster_of",
    "read_drawing",
    "set_words",
]
