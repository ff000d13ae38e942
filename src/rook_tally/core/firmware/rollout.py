"""Giving an image out in steps: to one station, then to a share, then to all.

A step is over when most of those it is offered to run the new version and have been heard for a
while since. It stops by itself when one that took the image falls silent, or comes back with what
it had: what is wrong with an image is to be found at one station and not at all of them.

Only stations that ask are counted. One that has never asked cannot be given anything.
"""

from __future__ import annotations

import enum
import math
from collections.abc import Sequence

import msgspec

from rook_tally.core.firmware.images import is_newer, version_numbers
from rook_tally.core.series.freshness import SILENT_CADENCES
from rook_tally.core.timestamps import SECOND_US

USUAL_SHARE, USUAL_WATCH_S = 0.25, 3600.0
_SHORTEST_SILENCE_S = 300.0
"""A board that writes its flash and starts again says nothing for a minute or two."""
_SETTLED_US = 120 * SECOND_US
"""Who asks again with the old version so long after it had the image did not take it."""


class RolloutStage(enum.Enum):
    """To whom an image is offered."""

    ONE = "one"
    SHARE = "share"
    ALL = "all"

    @property
    def words(self) -> str:
        """To whom, in words."""
        match self:
            case RolloutStage.ONE:
                return "one station"
            case RolloutStage.SHARE:
                return "a share of the stations"
            case RolloutStage.ALL:
                return "all stations"

    @property
    def next(self) -> RolloutStage | None:
        """The step after it."""
        order = list(RolloutStage)
        at = order.index(self) + 1
        return order[at] if at < len(order) else None


class RolloutState(enum.Enum):
    """How a rollout stands; those stopped and paused offer nothing, one that is done goes on
    offering to stations that come later."""

    RUNNING = "running"
    PAUSED = "paused"
    STOPPED = "stopped"
    DONE = "done"

    def words(self, stage: RolloutStage) -> str:
        """How it stands in a step, in words."""
        match self:
            case RolloutState.RUNNING:
                return f"offered to {stage.words}"
            case RolloutState.PAUSED:
                return "paused"
            case RolloutState.STOPPED:
                return "stopped"
            case RolloutState.DONE:
                return "taken by all that ask"

    @property
    def offers(self) -> bool:
        """True while stations are offered the image."""
        return self in (RolloutState.RUNNING, RolloutState.DONE)


class Rollout(msgspec.Struct, frozen=True):
    """An image that a kind's stations are offered.

    `share` is how many of them the second step is for, of 1; `first` the station to begin with,
    empty for any; `watch_s` how long those that took it have to be heard before the next step.
    `why` says what stopped it.
    """

    image: int
    stage: RolloutStage = RolloutStage.ONE
    state: RolloutState = RolloutState.RUNNING
    share: float = USUAL_SHARE
    first: str = ""
    watch_s: float = USUAL_WATCH_S
    since_us: int = 0
    stage_us: int = 0
    why: str = ""


class UpdateState(enum.Enum):
    """How far a station is with an image."""

    NEVER_ASKED = "never asked"
    NOTHING = "is offered nothing"
    NOT_YET = "not yet offered"
    OFFERED = "offered"
    FETCHED = "has fetched it"
    RUNS = "runs it"
    SILENT = "fell silent"
    NOT_TAKEN = "came back with the old one"

    @property
    def is_bad(self) -> bool:
        """True if the image did not work there."""
        return self in (UpdateState.SILENT, UpdateState.NOT_TAKEN)


class StationUpdate(msgspec.Struct, frozen=True):
    """What is known of a station and an image.

    `version` is what it says it runs. `asked_us` is when it last asked, `fetched_us` when it had
    all of the image, `updated_us` when it first said that it runs it, `heard_us` when it last sent
    anything.
    """

    station: str
    version: str
    cadence_s: float
    asked_us: int | None = None
    fetched_us: int | None = None
    updated_us: int | None = None
    heard_us: int | None = None


def candidates(
    rollout: Rollout, version: str, updates: Sequence[StationUpdate]
) -> list[StationUpdate]:
    """Stations that can be offered an image of a version, in the order they get it: those that have
    it already, the one to begin with, then by name. What runs something newer is left alone."""
    asking = [
        one
        for one in updates
        if one.asked_us is not None
        and (one.fetched_us is not None or _runs(one, version) or is_newer(version, one.version))
    ]
    return sorted(
        asking,
        key=lambda one: (
            one.fetched_us is None and one.updated_us is None and not _runs(one, version),
            one.station != rollout.first,
            one.station,
        ),
    )


def offered_to(
    rollout: Rollout, version: str, updates: Sequence[StationUpdate]
) -> list[StationUpdate]:
    """Those of a rollout's present step, whether it is going on or not. Stations that ran the
    version before count to none."""
    told = candidates(rollout, version, updates)
    ran_before = [one for one in told if one.fetched_us is None and _runs(one, version)]
    rest = [one for one in told if one not in ran_before]
    match rollout.stage:
        case RolloutStage.ONE:
            count = 1
        case RolloutStage.SHARE:
            count = max(1, math.ceil(rollout.share * len(rest)))
        case RolloutStage.ALL:
            count = len(rest)
    already = sum(one.fetched_us is not None for one in rest)
    return rest[: max(count, already)]


def update_state(
    one: StationUpdate, version: str, *, is_offered: bool, now_us: int, listening_since_us: int
) -> UpdateState:
    """How far a station is. Silence counts from when it was last heard, or had the image, but not
    from before anybody listened."""
    if one.asked_us is None:
        return UpdateState.NEVER_ASKED
    if one.fetched_us is None:
        if _runs(one, version):
            return UpdateState.RUNS
        return UpdateState.OFFERED if is_offered else UpdateState.NOT_YET
    since_us = max(one.fetched_us, one.heard_us or 0, one.asked_us, listening_since_us)
    silent_s = max(SILENT_CADENCES * one.cadence_s, _SHORTEST_SILENCE_S)
    if now_us - since_us >= silent_s * SECOND_US:
        return UpdateState.SILENT
    if _runs(one, version):
        return UpdateState.RUNS
    if one.asked_us > one.fetched_us + _SETTLED_US:
        return UpdateState.NOT_TAKEN
    return UpdateState.FETCHED


def next_of(
    rollout: Rollout,
    version: str,
    updates: Sequence[StationUpdate],
    *,
    now_us: int,
    listening_since_us: int,
) -> Rollout:
    """The rollout as it is to be now: the same, stopped, a step further, or done."""
    if rollout.state is not RolloutState.RUNNING:
        return rollout
    told = offered_to(rollout, version, updates)
    states = {
        one.station: update_state(
            one, version, is_offered=True, now_us=now_us, listening_since_us=listening_since_us
        )
        for one in told
    }
    bad = [f"{name} {state.value}" for name, state in states.items() if state.is_bad]
    if bad:
        why = ", ".join(bad)
        return msgspec.structs.replace(rollout, state=RolloutState.STOPPED, why=why)
    running = [one for one in told if states[one.station] is UpdateState.RUNS]
    if UpdateState.FETCHED in states.values():
        return rollout
    is_watched = all(_is_watched(one, rollout.watch_s, now_us) for one in running)
    if not told:
        # All that ask ran it before; whoever comes later is offered it.
        has_askers = any(one.asked_us is not None for one in updates)
        return _done(rollout) if has_askers else rollout
    if not is_watched or 2 * len(running) < len(told):
        return rollout
    if rollout.stage is RolloutStage.ALL:
        return _done(rollout) if len(running) == len(told) else rollout
    after = rollout.stage.next
    assert after is not None
    return msgspec.structs.replace(rollout, stage=after, stage_us=now_us)


def _done(rollout: Rollout) -> Rollout:
    return msgspec.structs.replace(rollout, stage=RolloutStage.ALL, state=RolloutState.DONE)


def _is_watched(one: StationUpdate, watch_s: float, now_us: int) -> bool:
    """It has run the image for so long, and was heard at the end of that."""
    if one.updated_us is None or one.heard_us is None:
        return False
    until_us = one.updated_us + round(watch_s * SECOND_US)
    return now_us >= until_us and one.heard_us > one.updated_us


def _runs(one: StationUpdate, version: str) -> bool:
    numbers = version_numbers(version)
    return numbers is not None and version_numbers(one.version) == numbers
