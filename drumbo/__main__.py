"""`python -m drumbo`."""

from drumbo.cli import main

main()
