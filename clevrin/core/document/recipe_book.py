"""Recipes as small files: those that ship, and the user's own, each a file of its name that can be copied to others."""

import json
import logging
import re
from functools import cache
from importlib.resources import files
from pathlib import Path

from pydantic import ValidationError

from clevrin.core.document.files import read_text, write_atomically
from clevrin.core.document.recipes import Recipe
from clevrin.core.errors import DocumentError

log = logging.getLogger(__name__)

SUFFIX = ".json"
_MOST = 1000
_SHIPPED = "shipped_recipes"


@cache
def shipped() -> tuple[Recipe, ...]:
    """Those that come with Clevrin, by their names."""
    folder = files("clevrin.core.document") / _SHIPPED
    found = (Recipe.model_validate_json(each.read_text(encoding="utf-8")) for each in folder.iterdir())
    return tuple(sorted(found, key=lambda each: each.name))


def own(folder: Path) -> tuple[Recipe, ...]:
    """Those in a folder, by their names; what is no recipe is left out, which the log says."""
    found = []
    paths = sorted(folder.glob(f"*{SUFFIX}"))[:_MOST] if folder.is_dir() else []
    for path in paths:
        try:
            found.append(read_recipe(path))
        except DocumentError as error:
            log.warning("%s", error)
    return tuple(sorted(found, key=lambda each: each.name))


def read_recipe(path: Path) -> Recipe:
    """The recipe in a file, under the name of that file. Raises `DocumentError` with one sentence."""
    try:
        data = json.loads(read_text(path, "a recipe"))
        return Recipe.model_validate({**data, "name": path.stem})
    except (ValueError, TypeError, RecursionError, ValidationError) as error:
        raise DocumentError(f"{path.name} is not a recipe.") from error


def write_recipe(recipe: Recipe, path: Path) -> None:
    """Writes a recipe to a file. Raises `DocumentError`."""
    data = recipe.model_dump(mode="json")
    write_atomically(path, json.dumps(data, indent=1, ensure_ascii=False) + "\n")


def file_of(name: str, folder: Path) -> Path:
    """Where a recipe of a name lies in a folder."""
    plain = re.sub(r'[/\\:*?"<>|\x00-\x1f]', "-", name).strip(" .") or "recipe"
    return folder / f"{plain}{SUFFIX}"
