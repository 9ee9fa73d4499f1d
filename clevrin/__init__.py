"""Clevrin: camera motion for film-makers, measured, calmed, and joined into one move."""

__version__ = "0.1.0"
