"""Format 26: pages tell times in whole seconds or milliseconds where all of theirs are
(docs/page-format.md), which older programs would read as microseconds.

Nothing is altered: pages that were written before are read as before.
"""

revision, down_revision = "0026", "0025"


def upgrade() -> None:
    """Nothing to alter: the number alone keeps an older program from such a store."""
