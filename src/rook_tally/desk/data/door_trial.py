"""Trying a door before it is set up: what an address or a device answers now, and what of it would
be read."""

from __future__ import annotations

from typing import Protocol

import msgspec

from rook_tally.core.door_settings import DoorSettings, ModbusSetting
from rook_tally.core.in_reach import Reachable
from rook_tally.core.quantities.kinds import Kind
from rook_tally.core.quantities.modbus_map import RegisterTable


class TriedValue(msgspec.Struct, frozen=True):
    """A value of an answer. `pointer` is where it stands in JSON, empty where there is none to
    pick; `name` what it would be called; `is_read` says that the settings read it already."""

    name: str
    value: str
    pointer: str = ""
    is_read: bool = False


class DoorTrial(msgspec.Struct, frozen=True):
    """What came: the answer as it is, its values, and what is wrong with it; empty for nothing.
    `pattern` is one for its lines, made by their example, where the settings have none and need
    one."""

    shown: str
    values: tuple[TriedValue, ...]
    why: str = ""
    pattern: str = ""


class DoorTrier(Protocol):
    """Tries a door once. Called in a thread; may take half a minute."""

    def __call__(self, settings: DoorSettings) -> DoorTrial:
        """Ask, and say what came.

        Raises
        ------
        RookTallyError
            When it does not answer, or doors of that sort are not asked.
        """
        ...


class RegistersReader(Protocol):
    """Reads registers of a Modbus device once. Called in a thread; may take some seconds."""

    def __call__(
        self, settings: ModbusSetting, table: RegisterTable, at: int, count: int
    ) -> tuple[int | bool, ...]:
        """Ask, and return what came.

        Raises
        ------
        RookTallyError
            When it does not answer, or has no such registers.
        """
        ...


class AddressFinder(Protocol):
    """Asks the machines this one has spoken with of late. Called in a thread; takes some
    seconds."""

    def __call__(self) -> tuple[Reachable, ...]:
        """Ask each once, and return those that answer."""
        ...


class SampleReader(Protocol):
    """Reads a sample message as a kind would have it. Takes no longer than a message does."""

    def __call__(self, kind: Kind, text: str) -> DoorTrial:
        """Read it.

        Raises
        ------
        RookTallyError
            When it cannot be read, or is to be hexadecimal and is not.
        """
        ...
