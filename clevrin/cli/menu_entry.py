"""Clevrin in the menu of a user's desktop: an entry, its picture, and what a project file is (freedesktop.org)."""

import os
import re
import shutil
import subprocess
import sys
from pathlib import Path

from clevrin.core.errors import ClevrinError
from clevrin.core.outputs import write_text

NAME, MIME = "clevrin", "application/x-clevrin"
_ENTRY = """[Desktop Entry]
Type=Application
Name=Clevrin
Comment=Camera motion: measured, calmed, and joined into one move
Exec={command} open %F
Icon=clevrin
Terminal=false
Categories=AudioVideo;Video;AudioVideoEditing;
MimeType={mime};
StartupWMClass=clevrin
X-Clevrin-Own=true
"""
_KIND = """<?xml version="1.0" encoding="UTF-8"?>
<mime-info xmlns="http://www.freedesktop.org/standards/shared-mime-info">
  <mime-type type="{mime}">
    <comment>Clevrin project</comment>
    <glob pattern="*.clevrin"/>
  </mime-type>
</mime-info>
"""
_OWN = "X-Clevrin-Own=true"
"""Our mark, without which nothing is written over or taken away."""
_ICON = Path(__file__).parent.parent / "desk" / "assets" / "clevrin.svg"


MAN_PAGE = Path(__file__).parent / "clevrin.1"
"""Made by `make guide` from the commands' own help."""


def _data_home() -> Path:
    return Path(os.environ.get("XDG_DATA_HOME") or Path.home() / ".local" / "share")


def _places() -> tuple[Path, Path, Path, Path]:
    data = _data_home()
    return (
        data / "applications" / f"{NAME}.desktop",
        data / "mime" / "packages" / f"{NAME}.xml",
        data / "icons" / "hicolor" / "scalable" / "apps" / f"{NAME}.svg",
        data / "man" / "man1" / f"{NAME}.1",
    )


def _contents() -> tuple[str, str, str, str]:
    """What is written to each of the places, with our mark in it as each kind of file has it."""
    beside = Path(sys.executable).parent / NAME
    command = _quoted(str(beside)) if beside.exists() else f"{_quoted(sys.executable)} -m clevrin"
    kind = _KIND.format(mime=MIME)
    return (
        _ENTRY.format(command=command, mime=MIME),
        kind.replace("?>", f"?>\n<!-- {_OWN} -->", 1),
        f"{_ICON.read_text(encoding='utf-8').rstrip()}\n<!-- {_OWN} -->\n",
        f'{MAN_PAGE.read_text(encoding="utf-8").rstrip()}\n.\\" {_OWN}\n',
    )


def _quoted(word: str) -> str:
    """A word of a command as the Desktop Entry Specification has it (1.5: the Exec key), in a value of a string."""
    if re.fullmatch(r"[A-Za-z0-9_./+-]+", word):
        return word
    inside = re.sub(r'(["`$\\])', r"\\\1", word).replace("%", "%%")
    return '"{}"'.format(inside.replace("\\", "\\\\"))


def _is_ours(path: Path) -> bool:
    try:
        return path.is_file() and not path.is_symlink() and _OWN in path.read_text(encoding="utf-8", errors="replace")
    except OSError:
        return False


def install_entry() -> tuple[Path, ...]:
    """Writes the entry, the kind of file, the picture and the man page for this user; gives where.

    Raises `ClevrinError`, before anything is written: what lies at one of the places and is not ours stays as it is.
    """
    places, contents = _places(), _contents()
    for path, content in zip(places, contents, strict=True):
        if os.path.lexists(path) and not _is_ours(path) and not _was_ours(path, content):
            raise ClevrinError(f"{path} is not ours: it stays as it is.")
    try:
        for path in places:
            path.parent.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise ClevrinError(f"{error.filename} cannot be made: {(error.strerror or str(error)).lower()}.") from error
    for path, content in zip(places, contents, strict=True):
        write_text(path, content)
    _tell_desktop()
    return places


def _was_ours(path: Path, content: str) -> bool:
    """Whether a file is what an earlier version wrote there: the same, without our mark."""
    try:
        there = path.read_text(encoding="utf-8") if path.is_file() and not path.is_symlink() else None
    except (OSError, UnicodeDecodeError):
        return False
    plain = [line for line in content.splitlines() if _OWN not in line]
    return there is not None and there.splitlines() == plain


def remove_entry() -> tuple[Path, ...]:
    """Takes away what bears our mark, and nothing else; gives what was taken away."""
    gone = []
    for path in filter(_is_ours, _places()):
        path.unlink()
        gone.append(path)
    _tell_desktop()
    return tuple(gone)


def _tell_desktop() -> None:
    """Desktops that keep indexes are told; where they have none, they look by themselves."""
    data = _data_home()
    for words in (("update-desktop-database", data / "applications"), ("update-mime-database", data / "mime")):
        if shutil.which(words[0]):
            subprocess.run([words[0], str(words[1])], capture_output=True, check=False)
