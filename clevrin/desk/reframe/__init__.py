"""The Reframe bench: where the gate is, in which shape, and what it follows."""
