"""Figures of speed, memory and accuracy, each beside a baseline of the same run: `make bench`."""
