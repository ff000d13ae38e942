"""How each station of a kind stands with the image that is given out."""

from __future__ import annotations

from collections.abc import Sequence

import msgspec

from rook_tally.core.firmware.images import FirmwareImage
from rook_tally.core.firmware.rollout import (
    Rollout,
    StationUpdate,
    UpdateState,
    offered_to,
    update_state,
)


class StationStanding(msgspec.Struct, frozen=True):
    """A station: the version it says it runs, how far it is, and when it last asked."""

    station: str
    version: str
    state: UpdateState
    asked_us: int | None


def standings(
    rollout: Rollout | None,
    image: FirmwareImage | None,
    updates: Sequence[StationUpdate],
    *,
    now_us: int,
    since_us: int | None,
) -> list[StationStanding]:
    """All of them, by name. `since_us` is since when collectors have listened."""
    if rollout is None or image is None:
        return [
            StationStanding(
                one.station,
                one.version,
                UpdateState.NEVER_ASKED if one.asked_us is None else UpdateState.NOTHING,
                one.asked_us,
            )
            for one in updates
        ]
    offered = {one.station for one in offered_to(rollout, image.version, updates)}
    return [
        StationStanding(
            one.station,
            one.version,
            update_state(
                one,
                image.version,
                is_offered=rollout.state.offers and one.station in offered,
                now_us=now_us,
                listening_since_us=now_us if since_us is None else since_us,
            ),
            one.asked_us,
        )
        for one in updates
    ]
