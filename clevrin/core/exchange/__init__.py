"""Handing work on to other tools, and taking it back: OpenTimelineIO timelines, take lists as CSV."""
