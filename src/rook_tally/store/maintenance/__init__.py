"""A store opened, brought up to date, copied, inspected, made smaller.

The uppermost part of the store. May import all of it.
"""

from rook_tally.store.maintenance.opening import existing_store, open_store

__all__ = ["existing_store", "open_store"]
