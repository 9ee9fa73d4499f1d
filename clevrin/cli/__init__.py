"""The commands of Clevrin: results on standard output, progress and errors on standard error."""

import io
import os
import sys

EXIT_COULD_NOT, EXIT_INTERRUPTED = 1, 130


def main() -> None:
    """Runs one command and ends the process: 0 done, 1 could not, 2 wrong usage, 130 interrupted."""
    if sys.argv[1:] == ["--version"]:  # said at once, before what reads a command line is loaded
        from clevrin.cli.version import version_line

        sys.stdout.write(version_line() + "\n")
        sys.exit(0)
    from clevrin.cli.app import app
    from clevrin.core.errors import CancelledError, ClevrinError

    # Names of files may hold what is no text: they are shown as far as they are.
    for stream in (sys.stdout, sys.stderr):
        if isinstance(stream, io.TextIOWrapper):
            stream.reconfigure(errors="backslashreplace")
    try:
        app()
    except (CancelledError, KeyboardInterrupt):
        sys.stderr.write("clevrin: stopped; what was finished is kept.\n")
        sys.exit(EXIT_INTERRUPTED)
    except ClevrinError as error:
        sys.stderr.write(f"clevrin: {' '.join(str(error).split())}\n")
        sys.exit(EXIT_COULD_NOT)
    except BrokenPipeError:  # whoever was to read the output has gone
        _forget_output()
        sys.exit(EXIT_COULD_NOT)
    except OSError as error:
        _forget_output()
        sys.stderr.write(f"clevrin: the output cannot be written: {(error.strerror or str(error)).lower()}.\n")
        sys.exit(EXIT_COULD_NOT)


def _forget_output() -> None:
    """What is still to be written would fail once more when the process ends."""
    os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
