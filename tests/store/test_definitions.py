"""Workings, groups and what is due of them, on both engines."""

from __future__ import annotations

import msgspec
import numpy as np
import pytest
import sqlalchemy as sa

from rook_tally.core.errors import UsageError
from rook_tally.core.quantities.named_series import Group
from rook_tally.core.series.corrections import Correction
from rook_tally.core.series.readings import Quality, readings_from
from rook_tally.core.site_settings import SiteSettings
from rook_tally.core.timestamps import DAY_US, HOUR_US
from rook_tally.core.workings.definitions import Placement, Working
from rook_tally.core.workings.diagnostics import FormulaError
from rook_tally.store.base import (
    ALWAYS_US,
    Store,
    Subject,
    add_due,
    changed_since,
    newest_seq,
    note_past_changed,
    schema,
    stretches_to_work_out,
)
from rook_tally.store.readings import (
    append_history,
    append_sealed,
    damaged_pages,
    history_of,
    overrule,
    read_range,
    seal_all,
)
from rook_tally.store.readings.page_reading import sealed_days
from rook_tally.store.site import Series, add_correction, load_site, withdraw_correction
from rook_tally.store.site.configuration import settle_site
from rook_tally.store.workings import (
    bind_workings,
    bound_workings,
    groups,
    remove_group,
    remove_working,
    save_group,
    save_working,
    work_out_due,
    work_out_everything,
    workings,
)
from tests.builders import MINUTE_US, NOON_US, begin_series

FORMULA = Working(
    slug="warmer", name="Warmer", formula="temperature@throwing-room - temperature@yard"
)


@pytest.fixture
def pair(store: Store) -> tuple[Series, Series]:
    """A room and a yard, a reading a minute."""
    room = begin_series(store, key="wall", place="Throwing room")
    yard = begin_series(store, key="post", place="Yard")
    return room, yard


def _tell(store: Store, series: Series, first_us: int, count: int, value: float) -> None:
    times = first_us + np.arange(count) * MINUTE_US
    with store.write() as connection:
        append_history(connection, series.id, readings_from(times, np.full(count, value)))


def _keep(store: Store, *several: Working) -> None:
    with store.write() as connection:
        for one in several:
            save_working(connection, one)


def _catch_up(store: Store, now_us: int = NOON_US) -> int:
    with store.read() as connection:
        bound = {
            series.id: (series, one.program)
            for series, one in bound_workings(connection, load_site(connection))
        }
    return work_out_everything(store, bound, now_us=now_us)


def _result(store: Store, slug: str = "warmer") -> Series:
    with store.read() as connection:
        return next(one for one in load_site(connection).series if one.field == slug)


def _values(store: Store, slug: str = "warmer") -> dict[int, float]:
    """Results by minutes since noon."""
    with store.read() as connection:
        read = read_range(connection, _result(store, slug).id, 0, ALWAYS_US)
    minutes = (read.time_us - NOON_US) // MINUTE_US
    return dict(zip(minutes.tolist(), read.value.tolist(), strict=True))


def test_what_is_kept_is_read_back_whole(store: Store, pair: tuple[Series, Series]) -> None:
    _keep(store, FORMULA)
    with store.write() as connection:
        save_group(connection, Group("Both", places=("Yard",), series=(pair[0].id,)))
    with store.read() as connection:
        assert workings(connection) == [FORMULA]
        assert groups(connection) == [Group("Both", ("Yard",), (pair[0].id,))]
        site = load_site(connection)
    assert [one.key for one in site.stations] == ["wall", "post"]
    (result,) = [one for one in site.series if one.station.is_worked_out]
    assert (result.station.key, result.station.place.name) == (
        "warmer@throwing-room",
        "Throwing room",
    )
    assert (result.quantity.slug, result.quantity.base.symbol) == ("warmer", "K")
    assert result.station.cadence_s == 60


def test_a_renamed_working_is_the_same_series(store: Store, pair: tuple[Series, Series]) -> None:
    _keep(store, FORMULA)
    with store.write() as connection:
        save_working(
            connection, Working(slug="warmer", name="Much warmer", formula=FORMULA.formula)
        )
    before = _result(store)
    assert before.quantity.name == "Much warmer"
    _catch_up(store)
    with store.write() as connection:
        save_working(
            connection,
            Working(slug="delta", name="Delta", formula=FORMULA.formula),
            instead_of="warmer",
        )
    with store.read() as connection:
        assert [one.slug for one in workings(connection)] == ["delta"]
        assert {one.field for one in load_site(connection).series if one.station.is_worked_out} == {
            "delta"
        }


@pytest.mark.parametrize(
    ("slug", "why"),
    [("temperature", "cannot be a working's name"), ("two words", "cannot be"), ("", "cannot be")],
)
def test_names_that_mean_something_else_are_refused(
    store: Store, pair: tuple[Series, Series], slug: str, why: str
) -> None:
    with pytest.raises(UsageError, match=why), store.write() as connection:
        save_working(connection, Working(slug=slug, name="X", formula="temperature@yard"))
    _keep(store, FORMULA, Working(slug="other", name="Other", formula="temperature@yard"))
    with pytest.raises(UsageError, match="already"), store.write() as connection:
        save_working(
            connection,
            Working(slug="warmer", name="W", formula="temperature@yard"),
            instead_of="other",
        )


def test_groups_that_are_built_in_are_not_made(store: Store) -> None:
    for name in ("indoors", "Everywhere", " "):
        with (
            pytest.raises(UsageError, match="cannot be a group's name"),
            store.write() as connection,
        ):
            save_group(connection, Group(name))
    with pytest.raises(UsageError, match="there is no group"), store.write() as connection:
        remove_group(connection, "Nobody")
    with pytest.raises(UsageError, match="there is no working"), store.write() as connection:
        remove_working(connection, "nothing")


def test_a_group_does_not_take_the_name_of_another(
    store: Store, pair: tuple[Series, Series]
) -> None:
    with store.write() as connection:
        save_group(connection, Group("Both", places=("Yard",)))
        save_group(connection, Group("Loft"))
    with (
        pytest.raises(UsageError, match="there is a group Both already; Loft was left as it is"),
        store.write() as connection,
    ):
        save_group(connection, Group("Both"), instead_of="Loft")
    with store.read() as connection:
        assert [one.name for one in groups(connection)] == ["Both", "Loft"]


def test_binding_again_writes_nothing(store: Store, pair: tuple[Series, Series]) -> None:
    _keep(store, FORMULA)
    with store.read() as connection:
        seen = newest_seq(connection)
    with store.write() as connection:
        assert bind_workings(connection) == {}
    with store.read() as connection:
        assert newest_seq(connection) == seen
        assert not changed_since(connection, seen).site


def test_what_is_due_is_joined_until_it_is_begun(store: Store, pair: tuple[Series, Series]) -> None:
    _keep(store, FORMULA)
    _catch_up(store)
    result = _result(store)
    with store.write() as connection:
        add_due(connection, result.id, 100, 200)
        add_due(connection, result.id, 150, 300)
        add_due(connection, result.id, 1000, 1100)
    with store.read() as connection:
        told = [(one.from_us, one.to_us) for one in stretches_to_work_out(connection)]
    assert told == [(100, 300), (1000, 1100)]


def test_only_what_rests_on_a_series_is_due_and_as_far_as_it_reaches(
    store: Store, pair: tuple[Series, Series]
) -> None:
    room, yard = pair
    _keep(
        store,
        Working(slug="long", name="Long", formula="mean(temperature@yard over 2 h)"),
        Working(slug="other", name="Other", formula="temperature@throwing-room + 1 K"),
    )
    _tell(store, room, NOON_US, 3, 20.0)
    _tell(store, yard, NOON_US, 3, 5.0)
    _catch_up(store)
    with store.write() as connection:
        note_past_changed(connection, yard.id, NOON_US, NOON_US + 1)
    with store.read() as connection:
        (due,) = stretches_to_work_out(connection)
    assert due.series_id == _result(store, "long").id
    assert due.from_us == NOON_US
    assert 2 * HOUR_US < due.to_us - NOON_US < 3 * HOUR_US


def test_corrections_withdrawn_and_overrulings_change_just_their_stretch(
    store: Store, pair: tuple[Series, Series]
) -> None:
    room, yard = pair
    _keep(store, FORMULA)
    _tell(store, room, NOON_US, 60, 20.0)
    _tell(store, yard, NOON_US, 60, 5.0)
    _catch_up(store)
    assert set(_values(store).values()) == {15.0}
    with store.write() as connection:
        entry = add_correction(
            connection,
            yard.id,
            Correction(NOON_US + 30 * MINUTE_US, 1.0, 1.0),
            who="Ada",
            why="",
            now_us=NOON_US,
        )
    with store.read() as connection:
        (due,) = stretches_to_work_out(connection)
    assert due.from_us == NOON_US + 30 * MINUTE_US
    _catch_up(store)
    assert [_values(store)[minute] for minute in (29, 30, 59)] == [15.0, 14.0, 14.0]
    with store.write() as connection:
        withdraw_correction(connection, entry)
    _catch_up(store)
    assert set(_values(store).values()) == {15.0}
    with store.write() as connection:
        overrule(
            connection, room, NOON_US, NOON_US + 5 * MINUTE_US, Quality.SET_ASIDE, who="Ada", why=""
        )
    _catch_up(store)
    assert min(_values(store)) == 5


def test_a_long_history_is_worked_out_into_pages_and_rows(
    store: Store, pair: tuple[Series, Series]
) -> None:
    room, yard = pair
    _keep(store, FORMULA)
    begin_us = NOON_US - 20 * DAY_US
    count = 20 * 24 * 60
    times = begin_us + np.arange(count) * MINUTE_US
    for series, value in ((room, 20.0), (yard, 5.0)):
        readings = readings_from(times, value + np.arange(count) % 7)
        with store.write() as connection:
            append_sealed(connection, history_of(series, readings, before_us=NOON_US - 2 * DAY_US))
    parts = _catch_up(store)
    assert parts >= 3
    told = _values(store)
    assert len(told) == count
    assert set(told.values()) == {15.0}
    result = _result(store)
    with store.read() as connection:
        days = sealed_days(connection, [result.id], 0, ALWAYS_US)
        rows = connection.execute(
            sa.select(sa.func.count()).where(schema.reading.c.series_id == result.id)
        ).scalar_one()
        assert damaged_pages(connection) == []
    assert len(days) == 18
    assert rows == count - 18 * 1440 + 720
    # Sealing goes on over it as over any series.
    with store.read() as connection:
        by_id = {one.id: one for one in load_site(connection).series}
    assert seal_all(store, by_id, now_us=NOON_US + 2 * DAY_US) > 0
    assert set(_values(store).values()) == {15.0}


def test_readings_that_come_while_a_stretch_is_worked_out_are_not_lost(
    store: Store, pair: tuple[Series, Series], monkeypatch: pytest.MonkeyPatch
) -> None:
    room, yard = pair
    _keep(store, FORMULA)
    _tell(store, room, NOON_US, 10, 20.0)
    _tell(store, yard, NOON_US, 10, 5.0)
    with store.read() as connection:
        due = stretches_to_work_out(connection)[0]
        series, one = bound_workings(connection, load_site(connection))[0]
    program = one.program
    whole = type(program).worked_out

    def worked_out(self: object, *given: object) -> object:
        # Somebody else writes between the reading and the writing.
        _tell(store, yard, NOON_US + 5 * MINUTE_US + 1, 1, 7.0)
        return whole(self, *given)  # type: ignore[arg-type]

    monkeypatch.setattr(type(program), "worked_out", worked_out)
    assert not work_out_due(store, due, series, program, now_us=NOON_US)
    monkeypatch.undo()
    assert work_out_due(store, due, series, program, now_us=NOON_US)
    assert sorted(_values(store).values()) == [13.0, *[15.0] * 9]


def test_what_cannot_be_worked_out_any_more_keeps_what_it_had_and_says_why(
    store: Store, pair: tuple[Series, Series]
) -> None:
    room, yard = pair
    with store.write() as connection:
        save_group(connection, Group("Pair", places=("Yard", "Throwing room")))
    _keep(store, Working(slug="middle", name="Middle", formula="mean(temperature@pair/*)"), FORMULA)
    for series in (room, yard):
        _tell(store, series, NOON_US, 3, 8.0)
    _catch_up(store)
    assert set(_values(store, "middle").values()) == {8.0}
    with store.write() as connection:
        remove_group(connection, "Pair")
        troubles = bind_workings(connection)
    assert isinstance(troubles["middle"], FormulaError)
    assert set(_values(store, "middle").values()) == {8.0}
    assert "warmer" not in troubles
    with store.read() as connection:
        bound = {one.working.slug for _, one in bound_workings(connection, load_site(connection))}
    assert bound == {"warmer"}


def test_each_place_means_each_that_has_it_now(store: Store, pair: tuple[Series, Series]) -> None:
    _keep(
        store,
        Working(
            slug="dew",
            name="Dew",
            made=Placement.EACH_PLACE,
            group="indoors",
            formula="temperature@here + 0 K",
        ),
    )
    with store.read() as connection:
        made = [
            one.station.key for one in load_site(connection).series if one.station.is_worked_out
        ]
    assert made == ["dew@throwing-room", "dew@yard"]
    begin_series(store, key="third", place="Loft")
    with store.write() as connection:
        bind_workings(connection)
    assert _keys(store) == ["dew@throwing-room", "dew@yard", "dew@loft"]
    _keep(store, Working(slug="dew", name="Dew", formula="temperature@yard"))
    assert _keys(store) == ["dew@yard"]


def _keys(store: Store) -> list[str]:
    with store.read() as connection:
        return [
            one.station.key for one in load_site(connection).series if one.station.is_worked_out
        ]


def test_changes_of_workings_are_noticed(store: Store, pair: tuple[Series, Series]) -> None:
    with store.read() as connection:
        seen = newest_seq(connection)
    _keep(store, FORMULA)
    with store.read() as connection:
        subjects = {
            Subject(row.subject)
            for row in connection.execute(
                sa.select(schema.change.c.subject).where(schema.change.c.seq > seen)
            )
        }
    assert {Subject.WORKINGS, Subject.SITE} <= subjects


def test_a_formula_asks_the_site_for_its_height_and_follows_it(
    store: Store, pair: tuple[Series, Series]
) -> None:
    """The same formula with the height written out is what must be so."""
    sea = Working(
        slug="sea",
        name="At sea level",
        formula="sea_level_pressure(pressure@yard, height@site, temperature@yard)",
    )
    pressure = begin_series(store, "pressure", key="gauge", place="Yard")
    _tell(store, pressure, NOON_US, 30, 1000.0)
    _tell(store, pair[1], NOON_US, 30, 12.0)
    with pytest.raises(FormulaError, match="the height of the site is not known"):
        _keep(store, sea)
    for height in (120.0, 340.0):
        with store.write() as connection:
            settle_site(connection, SiteSettings(height_m=height))
            bind_workings(connection)
        written = msgspec.structs.replace(
            sea, slug="written", formula=sea.formula.replace("height@site", f"{height:g} m")
        )
        _keep(store, sea, written)
        assert _worked(store, "sea") == _worked(store, "written")
        assert _worked(store, "sea")[0] == pytest.approx(1000.0 * (1 + height / 8434), rel=3e-3)


def _worked(store: Store, slug: str) -> list[float]:
    """Everything due worked out, then what it came to."""
    with store.read() as connection:
        site = load_site(connection)
        bound = {
            series.id: (series, one.program) for series, one in bound_workings(connection, site)
        }
    work_out_everything(store, bound, now_us=NOON_US + HOUR_US)
    with store.read() as connection:
        (series,) = (one for one in load_site(connection).series if one.quantity.slug == slug)
        told = read_range(connection, series.id, 0, NOON_US + DAY_US)
    return [float(one) for one in told.value]
