"""What all values of the document are: frozen, checked, and with room for fields of later versions."""

import re
import uuid
from collections.abc import Iterable
from fractions import Fraction
from functools import cache
from typing import Annotated, Any, ClassVar, Protocol, Self, TypeVar

from pydantic import (
    AfterValidator,
    BaseModel,
    BeforeValidator,
    ConfigDict,
    Field,
    SerializerFunctionWrapHandler,
    TypeAdapter,
    model_serializer,
    model_validator,
)

MOST_FRAMES = 10_000_000
_MOST_DIGITS = 10**9


def _sane_fraction(value: object) -> object:
    """Python reads '1e999999999' as a fraction, and takes hours over it."""
    if isinstance(value, str) and not re.fullmatch(r"\d{1,9}(/0*[1-9]\d{0,8}|\.\d{1,9})?", value):
        raise ValueError("a rate is written as 30 or 30000/1001")
    return value


def bounded_rate(value: Fraction) -> Fraction:
    """The same rate, or the nearest one that can be written down: long films with odd ticks give monstrous ones."""
    if value.denominator < _MOST_DIGITS and value.numerator < _MOST_DIGITS:
        return value
    return value.limit_denominator(1001)


def _writable(value: object) -> object:
    """Text as it can be written to a file: other tools end one at its first character of number 0.

    Raises `ValueError` for text with half a character in it, as names of files have that are not text.
    """
    if not isinstance(value, str):
        return value
    try:
        value.encode()
    except UnicodeEncodeError as error:
        raise ValueError("a name has something in it that is no character") from error
    return value.replace("\x00", "")


Rate = Annotated[Fraction, BeforeValidator(_sane_fraction), AfterValidator(bounded_rate), Field(gt=0, le=1000)]
Id = Annotated[str, BeforeValidator(_writable), Field(min_length=1, max_length=64)]
Text = Annotated[str, BeforeValidator(_writable)]
Name = Annotated[str, BeforeValidator(_writable), Field(max_length=500)]


def new_id() -> str:
    return uuid.uuid4().hex[:12]


class Value(BaseModel):
    """A frozen value; fields that this version does not know are kept as they are."""

    model_config = ConfigDict(frozen=True, extra="allow", allow_inf_nan=False)

    def changed(self, **fields: object) -> Self:
        """A copy with these fields replaced and checked; the other ones are shared, and not checked again.

        Raises `ValueError` for what makes no sense.
        """
        checked = {name: _checker(type(self), name).validate_python(value) for name, value in fields.items()}
        return self.model_copy(update=checked).checked_together()

    def checked_together(self) -> Self:
        """Checks what concerns several fields; raises `ValueError`."""
        return self

    @model_validator(mode="after")
    def _read_together(self) -> Self:
        return self.checked_together()


class Sparing(Value):
    """A value of which what is as usual is not written: a large reel has 100,000 shots, and an hour of a take areas.

    `unwritten`: the fields of which that is so.
    """

    unwritten: ClassVar[tuple[str, ...]] = ()

    @model_serializer(mode="wrap")
    def _without_what_is_usual(self, written: SerializerFunctionWrapHandler) -> dict[str, Any]:
        data: dict[str, Any] = written(self)
        fields = type(self).model_fields
        for name in self.unwritten:
            if getattr(self, name) == fields[name].default:
                data.pop(name, None)
        return data


class OnFrame(Protocol):
    """What stands on a frame."""

    @property
    def frame(self) -> int: ...


F = TypeVar("F", bound=OnFrame)


def put_on_frame(values: Iterable[F], value: F, *, instead_of: int | None = None) -> tuple[F, ...]:
    """Values in the order of their frames, one a frame, with one more in the place of that on its frame.

    `instead_of`: a frame whose value it takes the place of as well.
    """
    others = [each for each in values if each.frame not in (value.frame, instead_of)]
    return tuple(sorted([*others, value], key=lambda each: each.frame))


@cache
def _checker(kind: type[BaseModel], name: str) -> TypeAdapter[Any]:
    """Checks one field of a value by itself: all of a project takes 8 ms with 500 takes."""
    field = kind.model_fields.get(name)
    if field is None:
        return TypeAdapter(Any)
    hint: Any = Annotated[field.annotation, *field.metadata] if field.metadata else field.annotation
    is_model = isinstance(field.annotation, type) and issubclass(field.annotation, BaseModel)
    return TypeAdapter(hint, config=None if is_model else ConfigDict(allow_inf_nan=False))
