"""Joining shots: which frames of two takes agree, and the cut at such a pair."""

from clevrin.core.join.match import Proposal, Side, rank_pairs
from clevrin.core.join.whip_cut import joined

__all__ = ["Proposal", "Side", "joined", "rank_pairs"]
