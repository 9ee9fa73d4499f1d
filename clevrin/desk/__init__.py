"""The window: everything that needs Qt."""
