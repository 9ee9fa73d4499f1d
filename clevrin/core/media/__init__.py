"""Footage files: what they are (probe), frame-exact reading, writing, sound, fingerprints."""
