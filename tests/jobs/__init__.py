"""Whole jobs by hand, from an empty project to the finished film, with every action of the hand counted."""
