"""A short name for a value: the same for the same value, in any process and on any machine."""

import hashlib
from dataclasses import fields, is_dataclass
from fractions import Fraction
from pathlib import Path
from typing import Any

import numpy as np
from pydantic import BaseModel

_LENGTH = 40


def digest(value: object, but: frozenset[str] = frozenset()) -> str:
    """40 hexadecimal digits by which a value is known: of values, tuples, dicts, arrays and plain things.

    `but`: names of fields that do not count. Raises `TypeError` for what has no value of its own. Costs some 10 us a
    field.
    """
    found = hashlib.sha256()
    _feed(found, value, but)
    return found.hexdigest()[:_LENGTH]


def _feed(found: Any, value: object, but: frozenset[str]) -> None:
    if value is None or isinstance(value, bool | int | float | str | Fraction | Path):
        found.update(f"{type(value).__name__}:{value!r};".encode())
    elif isinstance(value, bytes):
        found.update(b"bytes:%d:" % len(value) + value)
    elif isinstance(value, np.generic):
        _feed(found, value.item(), but)
    elif isinstance(value, np.ndarray):
        found.update(f"array:{value.dtype.str}:{value.shape}:".encode() + np.ascontiguousarray(value).tobytes())
    elif isinstance(value, tuple | list):
        found.update(b"(")
        for each in value:
            _feed(found, each, but)
        found.update(b")")
    elif isinstance(value, dict):
        _feed(found, tuple(sorted(value.items())), but)
    elif isinstance(value, BaseModel):
        found.update(type(value).__name__.encode())
        _feed(found, {name: getattr(value, name) for name in type(value).model_fields if name not in but}, but)
    elif is_dataclass(value) and not isinstance(value, type):
        found.update(type(value).__name__.encode() + b"{")
        for each in fields(value):
            if each.name not in but:
                found.update(each.name.encode() + b"=")
                _feed(found, getattr(value, each.name), but)
        found.update(b"}")
    else:
        raise TypeError(f"{type(value).__name__} has no value of its own")
