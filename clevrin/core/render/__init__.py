"""The picture of the reel at an instant, and its export."""

from clevrin.core.render.picture import picture, plan_at, planes
from clevrin.core.render.plan import Layer, Plan
from clevrin.core.render.sources import Sources

__all__ = ["Layer", "Plan", "Sources", "picture", "plan_at", "planes"]
