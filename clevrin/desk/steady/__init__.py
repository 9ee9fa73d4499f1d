"""Steady: take the shake out and keep the move."""
