"""Kite day on Gable Hill: the drawn world, its takes with their true camera paths, and its project."""
