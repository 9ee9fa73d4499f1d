"""Mattes: how an area covers a picture, from 0 to 1, at an instant and a size."""

from clevrin.core.matte.areas import matte_at
from clevrin.core.matte.coverage import coverage
from clevrin.core.matte.matte import Matte

__all__ = ["Matte", "coverage", "matte_at"]
