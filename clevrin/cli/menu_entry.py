"""Clevrin in the menu of a user's desktop: an entry, its picture, and what a project file is (freedesktop.org)."""

import os
import shlex
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


def install_entry() -> tuple[Path, ...]:
    """Writes the entry, the kind of file, the picture and the man page for this user; gives where.

    Raises `ClevrinError`. An entry of the same name that somebody else wrote stays as it is, and is told.
    """
    entry, kind, icon, page = _places()
    if entry.exists() and _OWN not in entry.read_text(encoding="utf-8", errors="replace"):
        raise ClevrinError(f"{entry} is not ours: it stays as it is.")
    beside = Path(sys.executable).parent / NAME
    command = shlex.quote(str(beside)) if beside.exists() else f"{shlex.quote(sys.executable)} -m clevrin"
    try:
        for path in (entry, kind, icon, page):
            path.parent.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise ClevrinError(f"{error.filename} cannot be made: {(error.strerror or str(error)).lower()}.") from error
    write_text(entry, _ENTRY.format(command=command, mime=MIME))
    write_text(kind, _KIND.format(mime=MIME))
    write_text(icon, _ICON.read_text(encoding="utf-8"))
    write_text(page, MAN_PAGE.read_text(encoding="utf-8"))
    _tell_desktop()
    return entry, kind, icon, page


def remove_entry() -> tuple[Path, ...]:
    """Takes away what `install_entry` wrote, and nothing else; gives what was taken away."""
    entry, kind, icon, page = _places()
    if not entry.exists():
        return ()
    if _OWN not in entry.read_text(encoding="utf-8", errors="replace"):
        raise ClevrinError(f"{entry} is not ours: it stays as it is.")
    gone = []
    for path in (entry, kind, icon, page):
        if path.is_file():
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
