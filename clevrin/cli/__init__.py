"""The commands of Clevrin: results on standard output, progress and errors on standard error."""

import sys

EXIT_COULD_NOT, EXIT_USAGE, EXIT_INTERRUPTED = 1, 2, 130


def main() -> None:
    """Runs one command and ends the process: 0 done, 1 could not, 2 wrong usage, 130 interrupted."""
    import click

    from clevrin.cli.app import app
    from clevrin.core.errors import CancelledError, ClevrinError

    try:
        code = app(standalone_mode=False)
    except click.UsageError as error:
        error.show()
        sys.exit(EXIT_USAGE)
    except click.ClickException as error:
        error.show()
        sys.exit(EXIT_COULD_NOT)
    except (CancelledError, KeyboardInterrupt, click.Abort):
        sys.stderr.write("clevrin: stopped; what was finished is kept.\n")
        sys.exit(EXIT_INTERRUPTED)
    except ClevrinError as error:
        sys.stderr.write(f"clevrin: {' '.join(str(error).split())}\n")
        sys.exit(EXIT_COULD_NOT)
    sys.exit(code if isinstance(code, int) else 0)
