"""Format 25: pages are written in format 2 (docs/page-format.md), which older programs cannot read.

Nothing is altered: pages of format 1 stay as they are and are read as before.
"""

revision, down_revision = "0025", "0024"


def upgrade() -> None:
    """Nothing to alter: the number alone keeps an older program from such a store."""
