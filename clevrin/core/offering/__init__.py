"""What the measurement knows and nobody has asked for: offers for a shot and for a cut, each with its price."""

from clevrin.core.offering.cuts import cut_offers, edit_to
from clevrin.core.offering.first_reel import FirstReel, first_reel, wanted_takes
from clevrin.core.offering.offer import Offer, OfferKind, best_first
from clevrin.core.offering.shots import Known, shot_offers

__all__ = [
    "FirstReel",
    "Known",
    "Offer",
    "OfferKind",
    "best_first",
    "cut_offers",
    "edit_to",
    "first_reel",
    "shot_offers",
    "wanted_takes",
]
