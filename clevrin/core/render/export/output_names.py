"""Names of renders with fields in them: {project}, {output}, {size}, {format}, {part}, {date}."""

import re
from collections.abc import Container
from dataclasses import replace
from datetime import date
from pathlib import Path

from clevrin.core.errors import ClevrinError
from clevrin.core.media.formats import format_of
from clevrin.core.paths import is_there
from clevrin.core.render.export.export import ExportRequest

FIELDS = ("project", "output", "size", "format", "part", "date")


def free_path(folder: Path, name: str, suffix: str, taken: Container[Path]) -> Path:
    """A place in a folder that nothing has, nor is going to have (`taken`): a name that is taken gets a number."""
    number = 1
    while True:
        path = folder / f"{name}{'' if number == 1 else f' {number}'}{suffix}"
        if path not in taken and not is_there(path):
            return path
        number += 1


def with_fields(request: ExportRequest, output: str | None, today: date) -> ExportRequest:
    """A request whose name has what it is in the place of its fields; `output`: the name of what is rendered.

    Raises `ClevrinError` for a field that there is not, and where nothing would be left of the name.
    """
    name = request.path.name
    if "{" not in name:
        return request
    reel = request.project.reel
    width, height = request.size or reel.size
    first, end = request.span or (0, 0)
    values = {
        "project": request.project.name,
        "output": output or "reel",
        "size": f"{width}x{height}",
        "format": format_of(request.path, request.kind).id,
        "part": f"{first}-{end - 1}" if request.span is not None else "all",
        "date": today.isoformat(),
    }

    def value(found: re.Match[str]) -> str:
        field = found[1]
        if field not in values:
            raise ClevrinError(f"{{{field}}} is no field of a name; there are {', '.join(FIELDS)}.")
        return "".join("-" if each in "/\0" else each for each in values[field])

    named = re.sub(r"\{([^{}]*)\}", value, name)
    if not named.strip(". "):
        raise ClevrinError(f"{name} would be named “{named}”: write a name, or give the project one.")
    return replace(request, path=request.path.with_name(named))
