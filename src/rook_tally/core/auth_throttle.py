"""Patience with wrong access keys: a few may be a mistake, many are somebody trying."""

from __future__ import annotations

from collections import OrderedDict, deque

from rook_tally.core.timestamps import SECOND_US

MOST_WRONG = 10
WITHIN_S = 60
_MOST_PEERS = 10_000


class AuthThrottle:
    """Counts wrong keys by address; memory is bounded whoever tries."""

    def __init__(self) -> None:
        self._wrong: OrderedDict[str, deque[int]] = OrderedDict()

    def note_wrong(self, peer: str, now_us: int) -> bool:
        """Note a wrong key; True when it is the one too many."""
        moments = self._wrong.setdefault(peer, deque(maxlen=MOST_WRONG))
        self._wrong.move_to_end(peer)
        moments.append(now_us)
        if len(self._wrong) > _MOST_PEERS:
            self._wrong.popitem(last=False)
        return self.wait_s(peer, now_us) > 0

    def wait_s(self, peer: str, now_us: int) -> int:
        """Time an address has to wait before it is heard again, s; 0 for not at all."""
        moments = self._wrong.get(peer)
        if moments is None or len(moments) < MOST_WRONG:
            return 0
        left_us = moments[0] + WITHIN_S * SECOND_US - now_us
        return max(0, -(-left_us // SECOND_US))
