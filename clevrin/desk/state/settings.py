"""Settings: one typed table with words, unit, range and default, and the file in which the user's choices are kept."""

import json
from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import Literal

import platformdirs
from PySide6.QtCore import QObject, Signal

from clevrin.core.document.files import read_text, write_atomically
from clevrin.core.document.keeping import journal_folder
from clevrin.core.errors import ClevrinError, DocumentError
from clevrin.core.media.cache_room import cache_in
from clevrin.core.media.proxies import DEFAULT_THRESHOLD
from clevrin.core.paths import is_there, put_aside

Kind = Literal["folder", "number", "choice", "switch"]
Value = str | int | bool


@dataclass(frozen=True, kw_only=True)
class Entry:
    """One setting. Numbers have a range and a unit, choices their `choices`; an empty folder means the usual one."""

    id: str
    title: str
    help: str
    kind: Kind
    default: Value
    unit: str = ""
    low: int = 0
    high: int = 0
    choices: tuple[str, ...] = ()
    at_next_start: bool = False


SETTINGS: tuple[Entry, ...] = (
    Entry(
        id="preview_quality",
        title="Preview quality",
        help="How finely pictures are made for looking at; half is for machines that drop frames. Renders are always "
        "made in full.",
        kind="choice",
        default="full",
        choices=("full", "half"),
    ),
    Entry(
        id="proxies",
        title="Make proxies",
        help="Makes small stand-ins in the background, for scrubbing through takes that are hard to decode.",
        kind="switch",
        default=True,
    ),
    Entry(
        id="proxy_threshold",
        title="Proxies for takes wider than",
        help="Takes of more pixels across get a proxy; so do deep and heavily packed ones, whatever their size.",
        kind="number",
        default=DEFAULT_THRESHOLD,
        unit="px",
        low=960,
        high=8192,
    ),
    Entry(
        id="cache_folder",
        title="Cache place",
        help="Measurements and proxies are kept there, in a folder of ours. Safe to delete: it is made again.",
        kind="folder",
        default="",
        at_next_start=True,
    ),
    Entry(
        id="cache_gb",
        title="Cache size",
        help="What has not been used for longest is deleted beyond this.",
        kind="number",
        default=20,
        unit="GB",
        low=1,
        high=2000,
        at_next_start=True,
    ),
    Entry(
        id="journal_folder",
        title="Autosave place",
        help="Where every change is written down until the project is saved. Best on a disk of this machine.",
        kind="folder",
        default="",
    ),
    Entry(
        id="scale",
        title="Size of text",
        help="Makes all text larger or smaller.",
        kind="number",
        default=100,
        unit="%",
        low=80,
        high=200,
        at_next_start=True,
    ),
)
_BY_ID = {entry.id: entry for entry in SETTINGS}


class Settings(QObject):
    """The user's choices. A damaged file counts as none; `changed` says which setting has another value."""

    changed = Signal(str)
    keys_changed = Signal()

    def __init__(self, parent: QObject | None = None, file: Path | None = None) -> None:
        """`file` None: in the user's configuration folder."""
        super().__init__(parent)
        self.file = file or Path(platformdirs.user_config_dir("clevrin")) / "settings.json"
        self.told_at_start = ""
        """A sentence about settings that could not be read; empty when all is well."""
        try:
            self._values, self._keys, self._place, self._render_place = _read(self.file)
        except DocumentError:
            self._values, self._keys, self._place, self._render_place = {}, {}, "", ("", "")
            aside = put_aside(self.file)
            where = f"; the file is kept as {aside}" if aside is not None else ""
            self.told_at_start = f"The settings could not be read, and are as at the first start{where}."

    @property
    def folder(self) -> Path:
        """Where they lie, and what else of the user's own is set once for all projects."""
        return self.file.parent

    def value(self, id: str) -> Value:
        """A setting's value; raises `KeyError` for one that there is not."""
        return self._values.get(id, _BY_ID[id].default)

    def set(self, id: str, value: Value) -> None:
        """Changes a setting and keeps it. Raises `ClevrinError` for a value that cannot be, or kept."""
        entry = _BY_ID[id]
        checked = _checked(entry, value)
        if checked is None:
            raise ClevrinError(f"{entry.title} cannot be {value}: {_possible(entry)}.")
        if checked == self.value(id):
            return
        self._values[id] = checked
        self._write()
        self.changed.emit(id)

    @property
    def keys(self) -> Mapping[str, tuple[str, ...]]:
        """Keys that the user changed, by action; the others have those of the table."""
        return dict(self._keys)

    def set_keys(self, keys: Mapping[str, tuple[str, ...]]) -> None:
        """Keeps keys. Raises `ClevrinError` where that is not possible."""
        self._keys = dict(keys)
        self._write()
        self.keys_changed.emit()

    @property
    def window_place(self) -> str:
        """Where and how large the window was when it was closed, as the window wrote it; empty: never."""
        return self._place

    def set_window_place(self, place: str) -> None:
        """Keeps where the window is. Raises `ClevrinError` where that is not possible."""
        if place != self._place:
            self._place = place
            self._write()

    @property
    def render_place(self) -> tuple[str, str]:
        """Where renders were put the last time, and the name that they had, with its fields; empty: nothing yet."""
        return self._render_place

    def set_render_place(self, folder: str, name: str) -> None:
        """Keeps where renders go (empty: nobody has said yet). Raises `ClevrinError` where that is not possible."""
        if (folder, name) != self._render_place:
            self._render_place = folder, name
            self._write()

    @property
    def journal_folder(self) -> Path:
        chosen = str(self.value("journal_folder"))
        return Path(chosen) if chosen else journal_folder()

    @property
    def cache_folder(self) -> Path:
        chosen = str(self.value("cache_folder"))
        return cache_in(Path(chosen)) if chosen else Path(platformdirs.user_cache_dir("clevrin"))

    def _write(self) -> None:
        kept = {"values": self._values, "keys": self._keys, "window": self._place, "renders": self._render_place}
        text = json.dumps(kept, indent=1, ensure_ascii=False) + "\n"
        try:
            self.file.parent.mkdir(parents=True, exist_ok=True)
            write_atomically(self.file, text)
        except (OSError, DocumentError) as error:
            raise ClevrinError(f"The settings cannot be kept in {self.file.parent}.") from error


def _read(file: Path) -> tuple[dict[str, Value], dict[str, tuple[str, ...]], str, tuple[str, str]]:
    """Values, keys, the window's place and that of renders; raises `DocumentError` where the file is damaged."""
    if not is_there(file):
        return {}, {}, "", ("", "")
    try:
        data = json.loads(read_text(file, "a file of settings"))
        stored, keys = dict(data["values"]), dict(data["keys"])
    except (ValueError, KeyError, TypeError, RecursionError) as error:
        raise DocumentError(f"{file.name} is damaged.") from error
    place, renders = data.get("window", ""), data.get("renders", ["", ""])
    if not (
        isinstance(renders, list) and len(renders) == 2 and all(isinstance(k, str) and _is_path(k) for k in renders)
    ):
        renders = ["", ""]
    values = {}
    for id, value in stored.items():
        checked = _checked(_BY_ID[id], value) if id in _BY_ID else None
        if checked is not None:
            values[id] = checked
    chosen = {
        id: tuple(each) for id, each in keys.items() if isinstance(each, list) and all(isinstance(k, str) for k in each)
    }
    return values, chosen, place if isinstance(place, str) else "", (renders[0], renders[1])


def _checked(entry: Entry, value: object) -> Value | None:
    """The value as one of this setting; None when it cannot be one."""
    if entry.kind == "switch":
        return value if isinstance(value, bool) else None
    if entry.kind == "number":
        whole = isinstance(value, int) and not isinstance(value, bool)
        return value if whole and isinstance(value, int) and entry.low <= value <= entry.high else None
    if entry.kind == "choice":
        return value if isinstance(value, str) and value in entry.choices else None
    return value if isinstance(value, str) and _is_path(value) else None


def _is_path(text: str) -> bool:
    try:
        return b"\0" not in text.encode()
    except UnicodeEncodeError:
        return False


def _possible(entry: Entry) -> str:
    if entry.kind == "number":
        return f"{entry.low} to {entry.high} {entry.unit} are possible"
    return f"{', '.join(entry.choices)} are possible" if entry.choices else "that is of another kind"
