"""The commands of Clevrin: results on standard output, progress and errors on standard error."""

import sys

EXIT_COULD_NOT, EXIT_INTERRUPTED = 1, 130


def main() -> None:
    """Runs one command and ends the process: 0 done, 1 could not, 2 wrong usage, 130 interrupted."""
    from clevrin.cli.app import app
    from clevrin.core.errors import CancelledError, ClevrinError

    try:
        app()
    except (CancelledError, KeyboardInterrupt):
        sys.stderr.write("clevrin: stopped; what was finished is kept.\n")
        sys.exit(EXIT_INTERRUPTED)
    except ClevrinError as error:
        sys.stderr.write(f"clevrin: {' '.join(str(error).split())}\n")
        sys.exit(EXIT_COULD_NOT)
