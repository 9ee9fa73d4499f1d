"""Areas of a take: drawn and chosen over its picture, listed, set, and looked at."""
