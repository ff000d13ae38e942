"""Whether a door wants an access key from everybody, as the site's settings say."""

from __future__ import annotations

import asyncio
import math
import time

from rook_tally.core.access_policy import KeysWanted
from rook_tally.store.base import Store
from rook_tally.store.site.trust import keys_wanted

_SETTING_HOLDS_S = 1.0


class KeyPolicy:
    """Knows the setting, as it was a second ago at most."""

    def __init__(self, store: Store) -> None:
        self._store = store
        self._wanted, self._asked_s = KeysWanted.BY_DOOR, -math.inf

    async def wants_all_keys(self, *, is_open: bool) -> bool:
        """True if also programs on this machine need a key; `is_open` says that the door is heard
        beyond it."""
        now_s = time.monotonic()
        if now_s - self._asked_s > _SETTING_HOLDS_S:

            def look() -> KeysWanted:
                with self._store.read() as connection:
                    return keys_wanted(connection)

            self._asked_s, self._wanted = now_s, await asyncio.to_thread(look)
        if self._wanted is KeysWanted.BY_DOOR:
            return is_open
        return self._wanted is KeysWanted.FROM_ALL
