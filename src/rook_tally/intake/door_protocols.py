"""The interfaces given to a door: one takes its messages, one hears its state."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Protocol

from rook_tally.core.quantities.bluetooth_map import BluetoothMap
from rook_tally.intake.message import IntakeResult, Message
from rook_tally.store.site import DoorState


class Reception(Protocol):
    """Takes messages in for the doors."""

    async def take(self, message: Message) -> IntakeResult:
        """Hand a message in; returns once what became of it is committed.

        Raises
        ------
        StoreError
            When it could not be kept. The sender should send it again.
        """
        ...


class DoorReport(Protocol):
    """Hears how a door stands."""

    def __call__(self, state: DoorState, detail: str = "") -> None:
        """Say that the door is in this state, and why if that is not plain."""
        ...


@dataclass(frozen=True, slots=True)
class WantedOfSensor:
    """What is read of a Bluetooth sensor, by its kind, and how often it is expected."""

    map: BluetoothMap
    cadence_s: float
