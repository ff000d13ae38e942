"""A desk without its window: the real feed, following a store."""

from __future__ import annotations

import time
from types import TracebackType
from typing import Self

from rook_tally.desk.data.site_state import SiteState
from rook_tally.desk.data.store_feed import NewReadings, News, Picture, StoreFeed
from rook_tally.store.base import Store


def now_us() -> int:
    return time.time_ns() // 1000


class Desk:
    """What a desk sees of a store."""

    def __init__(self, store: Store) -> None:
        self.news: list[News] = []
        self.state = SiteState(now_us)
        self._feed = StoreFeed(store, clock=now_us)
        self._feed.deliver_to(self._take)
        self._feed.start()

    def __enter__(self) -> Self:
        return self

    def __exit__(
        self,
        kind: type[BaseException] | None,
        error: BaseException | None,
        trace: TracebackType | None,
    ) -> None:
        self.close()

    def _take(self, news: News) -> None:
        self.news.append(news)
        self.state.take(news)

    def values(self) -> set[float]:
        """Every value it has shown as a newest one."""
        return {
            one.value
            for news in self.news
            if isinstance(news, Picture | NewReadings)
            for one in news.latest.values()
        }

    def close(self) -> None:
        self._feed.stop()
