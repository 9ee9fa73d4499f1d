"""Loops over pixels that are compiled (C), each beside the same in NumPy, which serves where they are not there."""
