"""Rollouts: who is offered an image when, what goes a step further, and what stops it."""

from __future__ import annotations

from dataclasses import dataclass, field

import msgspec
import pytest
from hypothesis import given
from hypothesis import strategies as st

from rook_tally.core.firmware.rollout import (
    Rollout,
    RolloutStage,
    RolloutState,
    StationUpdate,
    UpdateState,
    candidates,
    next_of,
    offered_to,
    update_state,
)
from rook_tally.core.timestamps import SECOND_US

HOUR_S = 3600


@dataclass
class Fleet:
    """Stations of a kind at a moment, seconds after the rollout began."""

    now_s: float = 0.0
    rollout: Rollout = field(default_factory=lambda: Rollout(1))
    stations: dict[str, StationUpdate] = field(default_factory=dict)

    def ask(self, *names: str, version: str = "1.0") -> None:
        for name in names:
            known = self.stations.get(name, StationUpdate(name, version, 60.0))
            self.stations[name] = msgspec.structs.replace(
                known, version=version, asked_us=self._now_us, heard_us=self._now_us
            )

    def fetch(self, *names: str) -> None:
        for name in names:
            self._set(name, fetched_us=self._now_us)

    def start_anew(self, *names: str) -> None:
        for name in names:
            self._set(name, updated_us=self._now_us)
            self.ask(name, version="1.1")

    def hear(self, *names: str) -> None:
        for name in names:
            self._set(name, heard_us=self._now_us)

    def later(self, seconds: float, *heard: str) -> Rollout:
        self.now_s += seconds
        self.hear(*heard)
        self.rollout = next_of(
            self.rollout,
            "1.1",
            list(self.stations.values()),
            now_us=self._now_us,
            listening_since_us=0,
        )
        return self.rollout

    @property
    def offered(self) -> list[str]:
        return [
            one.station for one in offered_to(self.rollout, "1.1", list(self.stations.values()))
        ]

    @property
    def _now_us(self) -> int:
        return round(self.now_s * SECOND_US)

    def _set(self, name: str, **told: object) -> None:
        self.stations[name] = msgspec.structs.replace(self.stations[name], **told)


ALL = [f"post-{at}" for at in range(1, 9)]


@pytest.fixture
def fleet() -> Fleet:
    made = Fleet()
    made.ask(*ALL)
    return made


def test_one_then_a_share_then_all_each_after_it_was_heard_for_an_hour(fleet: Fleet) -> None:
    assert fleet.offered == ["post-1"]
    fleet.fetch("post-1")
    assert fleet.later(30).stage is RolloutStage.ONE
    fleet.start_anew("post-1")
    assert fleet.later(HOUR_S / 2, *ALL).stage is RolloutStage.ONE
    assert fleet.later(HOUR_S / 2, *ALL).stage is RolloutStage.SHARE
    assert fleet.offered == ["post-1", "post-2"]
    fleet.fetch("post-2")
    fleet.start_anew("post-2")
    assert fleet.later(HOUR_S, *ALL).stage is RolloutStage.ALL
    assert fleet.offered == ALL
    fleet.fetch(*ALL[2:])
    fleet.start_anew(*ALL[2:])
    assert fleet.later(HOUR_S, *ALL).state is RolloutState.DONE
    # Whoever comes later gets it at once.
    fleet.ask("post-9")
    assert "post-9" in fleet.offered


def test_it_stops_when_the_first_falls_silent_and_nobody_else_is_offered_it(fleet: Fleet) -> None:
    fleet.fetch("post-1")
    assert fleet.later(299, *ALL[1:]).state is RolloutState.RUNNING
    stopped = fleet.later(2, *ALL[1:])
    assert stopped.state is RolloutState.STOPPED
    assert stopped.why == "post-1 fell silent"
    assert not stopped.state.offers
    assert fleet.later(10 * HOUR_S, *ALL) == stopped


def test_it_stops_when_one_ran_it_for_a_while_and_then_fell_silent(fleet: Fleet) -> None:
    fleet.fetch("post-1")
    fleet.start_anew("post-1")
    fleet.later(600, *ALL)
    assert fleet.later(400, *ALL[1:]).why == "post-1 fell silent"


def test_it_stops_when_one_comes_back_with_the_old_version(fleet: Fleet) -> None:
    fleet.fetch("post-1")
    fleet.later(60, *ALL)
    fleet.ask("post-1")
    # Asked while the image was still being written.
    assert fleet.later(1, *ALL).state is RolloutState.RUNNING
    fleet.later(120, *ALL)
    fleet.ask("post-1")
    assert fleet.later(1, *ALL).why == "post-1 came back with the old one"


def test_nobody_is_called_silent_of_a_time_when_nobody_listened(fleet: Fleet) -> None:
    fleet.fetch("post-1")
    after = next_of(
        fleet.rollout,
        "1.1",
        list(fleet.stations.values()),
        now_us=10 * HOUR_S * SECOND_US,
        listening_since_us=10 * HOUR_S * SECOND_US - 60 * SECOND_US,
    )
    assert after.state is RolloutState.RUNNING


def test_a_station_that_reports_rarely_has_its_own_time(fleet: Fleet) -> None:
    fleet.stations["post-1"] = StationUpdate("post-1", "1.0", 3600.0, asked_us=0, heard_us=0)
    fleet.fetch("post-1")
    assert fleet.later(4.9 * HOUR_S, *ALL[1:]).state is RolloutState.RUNNING
    assert fleet.later(0.2 * HOUR_S, *ALL[1:]).state is RolloutState.STOPPED


def test_sleepers_hold_up_nobody_as_long_as_half_run_it(fleet: Fleet) -> None:
    fleet.rollout = msgspec.structs.replace(fleet.rollout, stage=RolloutStage.SHARE, share=0.5)
    fleet.fetch("post-1", "post-2")
    fleet.start_anew("post-1", "post-2")
    assert fleet.later(HOUR_S, *ALL).stage is RolloutStage.ALL
    assert fleet.later(HOUR_S, *ALL).state is RolloutState.RUNNING


def test_the_station_a_person_names_is_the_first(fleet: Fleet) -> None:
    fleet.rollout = Rollout(1, first="post-5")
    assert fleet.offered == ["post-5"]
    fleet.rollout = msgspec.structs.replace(fleet.rollout, stage=RolloutStage.SHARE)
    assert fleet.offered == ["post-5", "post-1"]


def test_stations_that_never_ask_or_run_something_newer_are_left_alone(fleet: Fleet) -> None:
    fleet.stations["a-mute"] = StationUpdate("a-mute", "", 60.0)
    fleet.ask("b-newer", version="2.0")
    assert fleet.offered == ["post-1"]
    names = [one.station for one in candidates(fleet.rollout, "1.1", list(fleet.stations.values()))]
    assert names == ALL


def test_stations_that_ran_it_before_count_for_nothing(fleet: Fleet) -> None:
    fleet.ask("post-1", "post-2", version="1.1")
    assert fleet.offered == ["post-3"]
    fleet.ask(*ALL, version="1.1")
    assert fleet.later(1).state is RolloutState.DONE


def test_nothing_happens_before_anybody_asks() -> None:
    empty = Fleet()
    assert empty.later(10 * HOUR_S).state is RolloutState.RUNNING
    assert empty.rollout.stage is RolloutStage.ONE


@pytest.mark.parametrize("state", [RolloutState.PAUSED, RolloutState.STOPPED, RolloutState.DONE])
def test_what_is_not_running_does_not_move(fleet: Fleet, state: RolloutState) -> None:
    fleet.rollout = msgspec.structs.replace(fleet.rollout, state=state)
    fleet.fetch(*ALL)
    assert fleet.later(10 * HOUR_S) == fleet.rollout


@given(
    st.lists(st.sampled_from(["1.0", "1.1", "2.0", ""]), max_size=30),
    st.sampled_from(RolloutStage),
    st.floats(0.01, 1.0),
    st.sets(st.integers(0, 29)),
)
def test_a_later_step_offers_to_all_of_an_earlier_one(
    versions: list[str], stage: RolloutStage, share: float, fetched: set[int]
) -> None:
    updates = [
        StationUpdate(f"s{at:02}", told, 60.0, asked_us=0, fetched_us=0 if at in fetched else None)
        for at, told in enumerate(versions)
    ]
    now = Rollout(1, stage=stage, share=share)
    told = {one.station for one in offered_to(now, "1.1", updates)}
    if stage.next is not None:
        after = msgspec.structs.replace(now, stage=stage.next)
        assert told <= {one.station for one in offered_to(after, "1.1", updates)}
    # Who has it already is watched whatever the step.
    assert {f"s{at:02}" for at in fetched if at < len(versions)} <= told
    assert not any(
        one.version == "2.0" and one.fetched_us is None for one in updates if one.station in told
    )


@pytest.mark.parametrize(
    ("told", "state"),
    [
        ({}, UpdateState.NEVER_ASKED),
        ({"asked_us": 0}, UpdateState.OFFERED),
        ({"asked_us": 0, "version": "1.1"}, UpdateState.RUNS),
        ({"asked_us": 0, "fetched_us": 0}, UpdateState.FETCHED),
        ({"asked_us": 0, "fetched_us": 0, "version": "v1.1.0"}, UpdateState.RUNS),
    ],
)
def test_how_far_a_station_is(told: dict[str, object], state: UpdateState) -> None:
    one = msgspec.structs.replace(StationUpdate("post", "1.0", 60.0), **told)
    assert (
        update_state(one, "1.1", is_offered=True, now_us=SECOND_US, listening_since_us=0) is state
    )
