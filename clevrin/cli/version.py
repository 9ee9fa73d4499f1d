"""Which version this is."""

from clevrin import __version__


def version_line() -> str:
    return f"clevrin {__version__}"
