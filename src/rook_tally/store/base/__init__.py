"""The ground of the store: tables, an open database, straight statements, change notices.

Knows nothing of what the rows mean. May import the core only.
"""

from rook_tally.store.base.changes import (
    Change,
    ChangeTail,
    Subject,
    are_forgotten,
    changed_since,
    newest_changes,
    newest_seq,
    prune_changes,
    readings_changed_since,
)
from rook_tally.store.base.credentials import (
    Credentials,
    access_hash,
    credentials_of,
    new_access_key,
)
from rook_tally.store.base.database import Store
from rook_tally.store.base.recompute_queue import (
    ALWAYS_US,
    RecomputeSpan,
    add_due,
    drop_due,
    note_past_changed,
    stretches_to_work_out,
)

__all__ = [
    "ALWAYS_US",
    "Change",
    "ChangeTail",
    "Credentials",
    "RecomputeSpan",
    "Store",
    "Subject",
    "access_hash",
    "add_due",
    "are_forgotten",
    "changed_since",
    "credentials_of",
    "drop_due",
    "new_access_key",
    "newest_changes",
    "newest_seq",
    "note_past_changed",
    "prune_changes",
    "readings_changed_since",
    "stretches_to_work_out",
]
