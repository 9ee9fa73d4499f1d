"""Places of a take's upright picture, in pixels, and shares of its size."""

from typing import Annotated

from pydantic import Field

Coordinate = Annotated[float, Field(ge=-100_000, le=100_000)]
Place = tuple[Coordinate, Coordinate]
Share = Annotated[float, Field(ge=0, le=1)]
