"""Events: who subscribes is called, until the subscription is ended."""

from __future__ import annotations

from rook_tally.desk.data.event import Event


def test_who_subscribed_is_called_in_order_until_the_end() -> None:
    event: Event[[str]] = Event()
    heard: list[str] = []
    end = event.subscribe(lambda word: heard.append(f"first {word}"))
    event.subscribe(lambda word: heard.append(f"second {word}"))
    event("one")
    end()
    end()
    event("two")
    assert heard == ["first one", "second one", "second two"]


def test_who_is_ended_by_another_meanwhile_is_called_no_more() -> None:
    event: Event[[]] = Event()
    heard: list[str] = []

    def first() -> None:
        heard.append("first")
        end_second()

    event.subscribe(first)
    end_second = event.subscribe(lambda: heard.append("second"))
    event()
    assert heard == ["first"]
