"""What takes long is done with `make soak` alone: every later change waits for the tests."""

from collections.abc import Callable
from typing import Any

import pytest

LONG = (pytest.mark.soak, pytest.mark.long)


def long(test: Callable[..., Any]) -> Callable[..., Any]:
    """For a whole test."""
    return pytest.mark.soak(pytest.mark.long(test))


def later(*values: object, name: str | None = None):
    """For one case of several."""
    return pytest.param(*values, marks=LONG, id=name)
