"""Steps taken back and made again: remarks, corrections, qualities and units, in words."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from typing import TypeVar

import pytest
from msgspec.structs import replace

from rook_tally.core.errors import RookTallyError, UsageError
from rook_tally.core.quantities.unit import FAHRENHEIT
from rook_tally.core.remarks import Remark
from rook_tally.core.series.corrections import Correction
from rook_tally.core.series.readings import Quality
from rook_tally.desk.data.commands import (
    Correct,
    Overrule,
    RemoveRemark,
    SaveRemark,
    ShowInUnit,
    WithdrawCorrection,
)
from rook_tally.desk.data.store_client import Command, Failure, Outcome, Success
from rook_tally.desk.data.undo import LocalStep, UndoableResult, UndoHistory
from rook_tally.store.base import Store
from rook_tally.store.readings import overrulings, read_range
from rook_tally.store.site import (
    Series,
    add_correction,
    correction_entries,
    load_site,
    remarks,
    shown_units,
)
from tests.builders import MINUTE_US, NOON_US, append, begin_series

T = TypeVar("T")


class Hands:
    """A client that does at once what it is asked, and lets the history hear of it."""

    on_written: Callable[[Command[object], Outcome[object]], None]

    def __init__(self, store: Store) -> None:
        self._store = store
        self.told: list[str] = []
        self.history = UndoHistory(self, told=self.told.append)  # type: ignore[arg-type]

    def change(self, command: Command[object]) -> None:
        self.on_written(command, self._outcome(command))

    def after_writes(self, call: Callable[[], None]) -> None:
        # What is asked is done before anything else can be asked.
        call()

    def write_untold(
        self, command: Command[T], on_done: Callable[[T], None], on_error: Callable[[str], None]
    ) -> None:
        outcome = self._outcome(command)
        if isinstance(outcome, Failure):
            on_error(outcome.error)
        else:
            on_done(outcome.result)

    def _outcome(self, command: Command[T]) -> Outcome[T]:
        try:
            with self._store.write() as connection:
                return Success(command.apply(connection))
        except RookTallyError as error:
            return Failure(str(error))


@pytest.fixture
def hands(store: Store) -> Iterator[Hands]:
    yield Hands(store)


@pytest.fixture
def series(store: Store) -> Series:
    made = begin_series(store)
    append(store, made, *((NOON_US - at * MINUTE_US, 20.0) for at in range(10)))
    return made


def texts(store: Store) -> list[str]:
    with store.read() as connection:
        return [one.text for one in remarks(connection)]


def test_steps_are_taken_back_in_turn_and_made_again(store: Store, hands: Hands) -> None:
    for text in ("one", "two", "three"):
        hands.change(SaveRemark(Remark(text, NOON_US)))
    assert hands.told[-1] == "Pin “three” written down. Ctrl+Z undoes it."
    hands.history.undo()
    hands.history.undo()
    assert texts(store) == ["one"]
    assert hands.told[-1] == "Undone: pin “two” deleted. Ctrl+Shift+Z does it again."
    hands.history.redo()
    assert texts(store) == ["one", "two"]
    hands.history.undo()
    hands.history.undo()
    assert texts(store) == []
    hands.history.undo()
    assert hands.told[-1] == "There is nothing to undo."
    for _ in range(3):
        hands.history.redo()
    assert texts(store) == ["one", "two", "three"]
    hands.history.redo()
    assert hands.told[-1] == "There is nothing to do again."


def test_a_new_step_forgets_what_was_taken_back(store: Store, hands: Hands) -> None:
    hands.change(SaveRemark(Remark("one", NOON_US)))
    hands.history.undo()
    hands.change(SaveRemark(Remark("other", NOON_US)))
    hands.history.redo()
    assert texts(store) == ["other"]


def test_a_step_that_cannot_be_taken_back_says_why(store: Store, hands: Hands) -> None:
    hands.change(SaveRemark(Remark("one", NOON_US)))
    with store.read() as connection:
        (kept,) = remarks(connection)
    # Somebody else takes it away meanwhile.
    with store.write() as connection:
        RemoveRemark(kept.id).apply(connection)
    hands.history.undo()
    assert "was deleted by somebody else meanwhile" in hands.told[-1]
    assert texts(store) == []


def test_a_step_whose_thing_somebody_else_changed_is_refused_with_the_difference(
    store: Store, hands: Hands
) -> None:
    hands.change(SaveRemark(Remark("door open", NOON_US)))
    hands.change(SaveRemark(Remark("other", NOON_US)))
    with store.write() as connection:
        first, second = sorted(remarks(connection), key=lambda one: one.id)
        SaveRemark(replace(second, text="theirs")).apply(connection)
    hands.history.undo()
    assert "text: other → theirs" in hands.told[-1]
    assert texts(store) == ["door open", "theirs"]
    # Asked for again it is left out, and the step before it can be taken back.
    hands.history.undo()
    assert hands.told[-1].startswith("Left out")
    hands.history.undo()
    assert texts(store) == ["theirs"]
    assert first.text == "door open"


def test_steps_that_change_nothing_in_the_store_are_taken_back_in_their_turn(
    store: Store, hands: Hands
) -> None:
    lanes = [1]

    def put(to: int) -> Callable[[], None]:
        return lambda: lanes.__setitem__(0, to)

    hands.change(SaveRemark(Remark("one", NOON_US)))
    hands.history.add_local(LocalStep("lane added", put(1), put(2)))
    lanes[0] = 2
    hands.history.undo()
    assert (lanes, texts(store), hands.told[-1]) == (
        [1],
        ["one"],
        "Undone: lane added. Ctrl+Shift+Z does it again.",
    )
    hands.history.redo()
    assert lanes == [2]
    hands.history.undo()
    hands.history.undo()
    assert texts(store) == []


def test_a_drag_is_one_step(hands: Hands) -> None:
    limits = [10]

    def put(to: int) -> Callable[[], None]:
        return lambda: limits.__setitem__(0, to)

    for limit in range(11, 20):
        hands.history.add_local(LocalStep("limit moved", put(limit - 1), put(limit), "limit"))
    hands.history.undo()
    assert limits == [10]
    assert not hands.history.can_undo
    hands.history.redo()
    assert limits == [19]


def test_a_step_that_could_not_be_taken_back_can_be_once_nothing_is_in_the_way(
    store: Store, hands: Hands, monkeypatch: pytest.MonkeyPatch
) -> None:
    hands.change(SaveRemark(Remark("one", NOON_US)))

    def refuse(*_: object) -> UndoableResult:
        raise UsageError("the disk is full")

    with monkeypatch.context() as disk:
        disk.setattr(RemoveRemark, "apply", refuse)
        hands.history.undo()
    assert "the disk is full" in hands.told[-1]
    assert texts(store) == ["one"]
    hands.history.undo()
    assert texts(store) == []
    with monkeypatch.context() as disk:
        disk.setattr(SaveRemark, "apply", refuse)
        hands.history.redo()
    assert texts(store) == []
    hands.history.redo()
    assert texts(store) == ["one"]


def test_a_change_that_fails_says_so(hands: Hands) -> None:
    hands.change(RemoveRemark(12345))
    assert "not there any more" in hands.told[-1]


def test_a_correction_that_replaced_another_gives_it_back(
    store: Store, hands: Hands, series: Series
) -> None:
    def offsets() -> list[float]:
        with store.read() as connection:
            return [one.correction.offset for one in correction_entries(connection, series.id)]

    for offset in (1.0, 2.0):
        hands.change(Correct(series, Correction(NOON_US, 1.0, offset), "potter", "meter", NOON_US))
    assert offsets() == [2.0]
    hands.history.undo()
    assert offsets() == [1.0]
    hands.history.undo()
    assert offsets() == []
    hands.history.redo()
    hands.history.redo()
    assert offsets() == [2.0]
    with store.read() as connection:
        (entry,) = correction_entries(connection, series.id)
    hands.change(WithdrawCorrection(series, entry.id))
    assert offsets() == []
    hands.history.undo()
    assert offsets() == [2.0]


def test_a_correction_is_refused_where_another_holds_by_now(
    store: Store, hands: Hands, series: Series
) -> None:
    """What was typed lies on top of what was seen; on top of something else it is another thing."""
    mine = Correction(NOON_US, 1.0, 2.0)

    def theirs(offset: float) -> None:
        with store.write() as connection:
            earlier = Correction(NOON_US - MINUTE_US, 1.0, offset)
            add_correction(connection, series.id, earlier, who="Ada", why="", now_us=NOON_US)

    hands.change(Correct(series, mine, "potter", "meter", NOON_US, None))
    hands.history.undo()
    theirs(-1.0)
    hands.change(Correct(series, mine, "potter", "meter", NOON_US, None))
    assert "is corrected by −1 °C there by now" in hands.told[-1]
    seen = Correction(NOON_US - MINUTE_US, 1.0, -1.0)
    hands.change(Correct(series, mine, "potter", "meter", NOON_US, seen))
    with store.read() as connection:
        entries = correction_entries(connection, series.id)
    assert [one.correction.offset for one in entries] == [-1.0, 2.0]
    # One that is withdrawn comes back only where nothing else holds by then.
    hands.change(WithdrawCorrection(series, entries[1].id))
    theirs(-3.0)
    hands.history.undo()
    assert "is corrected by −3 °C there by now" in hands.told[-1]


def test_an_overruling_replaced_comes_back(store: Store, hands: Hands, series: Series) -> None:
    stretch = ((NOON_US - 3 * MINUTE_US, NOON_US - MINUTE_US + 1),)

    def qualities() -> list[int]:
        with store.read() as connection:
            told = read_range(connection, series.id, stretch[0][0], stretch[0][1])
            return [int(one) for one in told.quality]

    hands.change(Overrule(series, stretch, Quality.SET_ASIDE, "potter", "door open"))
    assert qualities() == [Quality.SET_ASIDE] * 3
    hands.change(Overrule(series, stretch, Quality.GOOD, "potter", "it was shut after all"))
    assert qualities() == [Quality.GOOD] * 3
    hands.history.undo()
    assert qualities() == [Quality.SET_ASIDE] * 3
    with store.read() as connection:
        assert [one.why for one in overrulings(connection, series.id)] == ["door open"]
    hands.history.undo()
    assert qualities() == [Quality.GOOD] * 3
    hands.history.redo()
    assert qualities() == [Quality.SET_ASIDE] * 3


def test_a_unit_goes_back_to_the_one_before(store: Store, hands: Hands, series: Series) -> None:
    hands.change(ShowInUnit(series.quantity, FAHRENHEIT))
    with store.read() as connection:
        assert shown_units(connection) == {"temperature": FAHRENHEIT}
        assert load_site(connection).series[0].shown.symbol == "°F"
    hands.history.undo()
    with store.read() as connection:
        assert shown_units(connection) == {}


def test_a_refused_change_is_said_and_is_no_step(hands: Hands) -> None:
    hands.on_written(SaveRemark(Remark("x", 1)), Failure("refused"))
    assert (hands.told, hands.history.can_undo) == (["refused"], False)
