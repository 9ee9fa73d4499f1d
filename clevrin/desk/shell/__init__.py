"""The window itself: its frame, its menus and keys, what is shown around the benches."""
