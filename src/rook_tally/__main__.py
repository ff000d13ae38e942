"""`python -m rook_tally`."""

from rook_tally.cli import main

main()
