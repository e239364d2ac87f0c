"""`python -m tenka.cli`."""

from tenka.cli import main

main()
