"""A subject cut out over a take: by what moves before its background, by colours and edges, carried by flow.

From a box on one frame, and strokes on any. Nothing is learned beforehand: all that is known is in the take.
"""

from clevrin.core.matte.cutting.kept import UNSURE, CutFrames, how_sure
from clevrin.core.matte.cutting.middles import followed_middle
from clevrin.core.matte.cutting.subject import CutRequest, cut_out, stored_cut_out

__all__ = ["UNSURE", "CutFrames", "CutRequest", "cut_out", "followed_middle", "how_sure", "stored_cut_out"]
