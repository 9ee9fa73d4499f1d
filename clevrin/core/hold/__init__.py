"""Holding a shot: the path of the gate that takes the shake out and keeps the move."""

from clevrin.core.hold.held import HeldPath
from clevrin.core.hold.solve import held_path, solving_span

__all__ = ["HeldPath", "held_path", "solving_span"]
