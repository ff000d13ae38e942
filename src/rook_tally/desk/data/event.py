"""Events: functions called when something happens, for as long as somebody wants it."""

from __future__ import annotations

from collections.abc import Callable
from typing import Generic, ParamSpec

P = ParamSpec("P")


class Event(Generic[P]):
    """Something that happens now and then. Whoever subscribes can end that again."""

    def __init__(self) -> None:
        self._calls: list[Callable[P, None]] = []

    def subscribe(self, call: Callable[P, None]) -> Callable[[], None]:
        """Have a function called each time; returns the function that ends it."""
        self._calls.append(call)

        def end() -> None:
            if call in self._calls:
                self._calls.remove(call)

        return end

    def __call__(self, *args: P.args, **kwargs: P.kwargs) -> None:
        """Call all who subscribed. Who ends a subscription meanwhile is called no more."""
        for call in tuple(self._calls):
            if call in self._calls:
                call(*args, **kwargs)
