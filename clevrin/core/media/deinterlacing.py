"""Interlaced frames as whole pictures: of each frame its first field, what lies between its lines drawn along edges.

Spatial only (the codec library's edge slope tracing), so that a frame's picture does not depend on how it was
reached; two fields taken at two instants are never mixed.
"""

from fractions import Fraction

import av


def deinterlaced(frame: av.VideoFrame) -> av.VideoFrame:
    """A whole picture of a frame whose lines were taken at two instants, by its own field order. Costs some ms."""
    graph = av.filter.Graph()
    source = graph.add_buffer(
        width=frame.width, height=frame.height, format=frame.format.name, time_base=frame.time_base or Fraction(1, 1000)
    )
    filled = graph.add("estdif", "mode=frame:deint=interlaced")
    sink = graph.add("buffersink")
    source.link_to(filled)
    filled.link_to(sink)
    graph.configure()
    graph.push(frame)
    graph.push(None)
    whole = graph.pull()
    assert isinstance(whole, av.VideoFrame)
    whole.pts, whole.time_base = frame.pts, frame.time_base
    return whole
