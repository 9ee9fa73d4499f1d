"""From project files of earlier versions to this one, a version at a time."""

from collections.abc import Callable
from typing import Any

from clevrin.core.document.model import SCHEMA_VERSION

Data = dict[str, Any]


def migrated(data: Data) -> Data:
    """The data of a project file as this version writes them; the given data stay as they are.

    Makes no checks of its own: what was damaged before is found when the result is read.
    """
    for version in range(data["schema_version"], SCHEMA_VERSION):
        data = {**_STEPS[version](data), "schema_version": version + 1}
    return data


def _to_2(data: Data) -> Data:
    """Version 2 keeps several named spans of a take where version 1 had one at most."""
    takes = []
    listed = data.get("takes", [])
    if not isinstance(listed, list) or not all(isinstance(take, dict) for take in listed):
        return data  # damaged: reading it says where
    for take in listed:
        chosen = take.get("chosen")
        rest = {name: value for name, value in take.items() if name != "chosen"}
        spans = [] if chosen is None else [{"id": f"{take.get('id')}-1", "name": "1", "span": chosen}]
        takes.append({**rest, "spans": spans})
    return {**data, "takes": takes}


_STEPS: dict[int, Callable[[Data], Data]] = {1: _to_2}
