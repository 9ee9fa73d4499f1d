"""The gate: which part of the picture an output shows, where its poses put it, and how it follows a subject."""
