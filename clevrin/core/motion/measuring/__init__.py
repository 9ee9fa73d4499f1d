"""Measuring a take: from the motion between frames to the course of the plane that is followed."""
