"""Recipes in the window: those that are known, putting one on the chosen shots, and keeping what a shot has."""

from pathlib import Path

from clevrin.core.document.edits import KeepRecipe, PutRecipe
from clevrin.core.document.edits.recipes import recipe_of
from clevrin.core.document.recipe_book import SUFFIX, file_of, own, shipped, write_recipe
from clevrin.core.document.recipes import Recipe
from clevrin.core.errors import DocumentError
from clevrin.desk.bench.context import Context
from clevrin.desk.state.settings import Settings
from clevrin.desk.widgets.file_dialogs import FileDialogs


class Recipes:
    """Knows where the user's recipes lie: beside the settings."""

    def __init__(self, context: Context, files: FileDialogs, settings: Settings) -> None:
        self._context, self._files, self._settings = context, files, settings

    @property
    def folder(self) -> Path:
        return self._settings.folder / "recipes"

    @property
    def known(self) -> tuple[Recipe, ...]:
        """The user's own, then those of the project, then those that ship; of two with one name the first."""
        found: dict[str, Recipe] = {}
        for each in (*own(self.folder), *self._context.session.project.recipes, *shipped()):
            found.setdefault(each.name, each)
        return tuple(found.values())

    def put(self, recipe: Recipe) -> None:
        """Puts one on all chosen shots."""
        session = self._context.session
        if session.shot_ids:
            session.do(PutRecipe(recipe=recipe, shot_ids=session.shot_ids))

    def ask_to_keep(self) -> None:
        """Asks what what is set on the chosen shot is to be called, and keeps it."""
        if self._context.session.shot is None:
            return
        folder = self.folder
        folder.mkdir(parents=True, exist_ok=True)
        self._files.ask_for_new(
            "Keep as a recipe", self.keep, f"Recipes (*{SUFFIX})", name=str(folder / "my recipe"), suffix=SUFFIX
        )

    def keep(self, path: Path) -> None:
        """Keeps what is set on the chosen shot in a file, under its name, and with the project."""
        session, notices = self._context.session, self._context.notices
        shot = session.shot
        if shot is None:
            return
        project = session.project
        try:
            recipe = recipe_of(shot, project.take(shot.take_id), project.reel.aspect, path.stem)
            write_recipe(recipe, file_of(path.stem, path.parent))
        except DocumentError as error:
            notices.trouble(str(error))
            return
        except ValueError:
            notices.trouble("Nothing is set on this shot that a recipe could keep.")
            return
        session.do(KeepRecipe(recipe=recipe))
        notices.tell(f"Kept as {recipe.name}: {recipe.told}.", path)
