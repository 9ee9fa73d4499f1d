"""`python -m clevrin` is the command `clevrin`."""

from clevrin.cli import main

main()
