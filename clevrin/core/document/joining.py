"""How a shot passes into the next one, as the user chose it: a kind by its name, and the settings of that kind.

The document knows no kinds: each is a module of `core/join/kinds`, which says what its settings are and what it does
with them. So one that this version does not know is kept as it is.
"""

from typing import Annotated, ClassVar

from pydantic import BeforeValidator, Field, PlainSerializer

from clevrin.core.document.value import Name, Sparing, Text

LONGEST_DISSOLVE = 6
"""Frames; over a longer dissolve both pictures can be told apart, and the cut is no longer hidden."""
PLAIN, WHIP = "plain cut", "whip cut"

Setting = bool | float | Annotated[Text, Field(max_length=200)]
Settings = Annotated[
    tuple[tuple[Name, Setting], ...],
    BeforeValidator(lambda given: tuple(sorted(given.items())) if isinstance(given, dict) else given),
    PlainSerializer(dict),
    Field(max_length=32),
]


class Join(Sparing):
    """How a shot passes into the next one; `dissolve_frames` are laid over any kind.

    `settings`: those of its kind that are not as usual, by their names, in order.
    """

    unwritten: ClassVar[tuple[str, ...]] = ("settings",)

    kind: Name = PLAIN
    dissolve_frames: int = Field(default=0, ge=0, le=LONGEST_DISSOLVE)
    settings: Settings = ()

    @property
    def given(self) -> dict[str, Setting]:
        """The settings by name."""
        return dict(self.settings)

    def having(self, **settings: Setting) -> "Join":
        """The join with other values of some settings."""
        return self.changed(settings=tuple(sorted({**self.given, **settings}.items())))
