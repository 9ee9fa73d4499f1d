"""Files that lie elsewhere on another machine: under a root of its own that holds the same."""

from collections.abc import Callable
from dataclasses import fields, is_dataclass, replace
from pathlib import Path
from typing import Any, TypeVar

from pydantic import BaseModel

T = TypeVar("T")

_UNDER_ROOT = "{root}/"
_FIELD = "path"


def away(value: T, root: Path | None) -> T:
    """A value whose files under a root are named from there; None: all of them keep their places."""
    if root is None:
        return value
    whole = root.resolve()

    def named(path: str) -> str:
        found = Path(path)
        return _UNDER_ROOT + str(found.relative_to(whole)) if found.is_relative_to(whole) else path

    return _renamed(value, named)


def here(value: T, root: Path | None) -> T:
    """A value whose files are named from a root, with their places on this machine."""
    whole = root.resolve() if root is not None else None

    def placed(path: str) -> str:
        if not path.startswith(_UNDER_ROOT):
            return path
        # A machine without a root says of them that they are not there.
        return str((whole or Path("/")) / path.removeprefix(_UNDER_ROOT))

    return _renamed(value, placed)


def _renamed(value: Any, change: Callable[[str], str]) -> Any:
    """The same value with every field that is named `path` changed; what is not touched is shared."""
    if isinstance(value, tuple):
        if value and isinstance(value[0], int | float):
            return value
        changed = tuple(_renamed(each, change) for each in value)
        return value if all(a is b for a, b in zip(value, changed, strict=True)) else type(value)(changed)
    if isinstance(value, BaseModel):
        names: Any = type(value).model_fields
        found = _fields(((name, getattr(value, name)) for name in names), change)
        return value.model_copy(update=found) if found else value
    if is_dataclass(value) and not isinstance(value, type):
        found = _fields(((each.name, getattr(value, each.name)) for each in fields(value) if each.init), change)
        return replace(value, **found) if found else value
    return value


def _fields(pairs: Any, change: Callable[[str], str]) -> dict[str, Any]:
    """Those of some fields that become others."""
    found = {}
    for name, value in pairs:
        changed = change(value) if name == _FIELD and isinstance(value, str) else _renamed(value, change)
        if changed is not value and changed != value:
            found[name] = changed
    return found
