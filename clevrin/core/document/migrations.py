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


def migrated_change(change: Data, version: int) -> Data:
    """A change in a journal of a project of some version, as this version writes changes."""
    if version >= SCHEMA_VERSION:
        return change
    rows = {name: change[name]["changed"] for name in ("takes", "shots") if name in change}
    whole = {**change.get("project", {}), "schema_version": version, "takes": rows.get("takes", [])}
    whole["reel"] = {**change.get("reel", {}), "shots": rows.get("shots", []), "markers": change.get("markers", [])}
    whole = migrated(whole)
    found = dict(change)
    if "takes" in change:
        found["takes"] = {**change["takes"], "changed": whole["takes"]}
    if "shots" in change:
        found["shots"] = {**change["shots"], "changed": whole["reel"]["shots"]}
    if "markers" in change:
        found["markers"] = whole["reel"]["markers"]
    if "reel" in change:
        found["reel"] = {name: value for name, value in whole["reel"].items() if name not in ("shots", "markers")}
    if "project" in change:
        found["project"] = {name: value for name, value in whole.items() if name not in ("takes", "reel")}
    return found


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
