"""Draws an SVG in a process of its own, which it may bring down: the library overflows its stack where parts nest deep.

Run by its path, it imports nothing of ours, so that it is there in 30 ms. It reads what to draw with on a line of JSON
and the drawing after it from its input, and writes a PNG.
"""

import json
import resource
import sys
from typing import Any

MOST_BYTES = 4 * 1024**3
MOST_S = 30


def main() -> None:
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))
    resource.setrlimit(resource.RLIMIT_AS, (MOST_BYTES, MOST_BYTES))
    resource.setrlimit(resource.RLIMIT_CPU, (MOST_S, MOST_S))
    import resvg_py

    drawn_with = json.loads(sys.stdin.buffer.readline())
    text = sys.stdin.buffer.read().decode()
    draw: Any = resvg_py.svg_to_bytes  # what it says of itself does not fit names that are given together
    try:
        png = bytes(draw(svg_string=text, skip_system_fonts=True, **drawn_with))
    except ValueError as error:
        sys.exit(str(error))
    sys.stdout.buffer.write(png)


if __name__ == "__main__":
    main()
