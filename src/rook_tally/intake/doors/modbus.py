"""The Modbus door: a device's registers are asked for, over TCP or a serial line (RTU)."""

from __future__ import annotations

import asyncio
from collections.abc import Callable, Sequence
from typing import TYPE_CHECKING

import msgspec

from rook_tally.core.errors import DoorError
from rook_tally.core.quantities.modbus_map import (
    ModbusRegister,
    ModbusRequest,
    RegisterTable,
    RequestReader,
    planned_requests,
)
from rook_tally.intake.door_protocols import DoorReport, Reception
from rook_tally.intake.doors.background_door import BackgroundDoor
from rook_tally.intake.doors.submit_retry import offered
from rook_tally.intake.message import BodyFormat, IntakeResult, Message
from rook_tally.store.site import DoorState, ModbusSetting

if TYPE_CHECKING:
    from pymodbus.client import AsyncModbusSerialClient, AsyncModbusTcpClient

    Client = AsyncModbusSerialClient | AsyncModbusTcpClient

_PATIENCE_S = 3.0
_RETRIES = 1
_PORT = 502
# Of the protocol's specification, section 7.
_EXCEPTIONS = {
    1: "does not know that request (illegal function)",
    2: "has no such register (illegal data address)",
    3: "does not take that value (illegal data value)",
    4: "has failed (device failure)",
    5: "is still at it (acknowledge)",
    6: "is busy",
    8: "found its memory damaged (parity error)",
    10: "cannot be reached behind its gateway (path unavailable)",
    11: "does not answer behind its gateway (target failed to respond)",
}


class ModbusDoor(BackgroundDoor):
    """Asks one device at its cadence. `registers` tells which its station's kind lists now."""

    def __init__(
        self,
        settings: ModbusSetting,
        *,
        registers: Callable[[], Sequence[ModbusRegister]],
        reception: Reception,
        report: DoorReport,
        clock: Callable[[], int],
    ) -> None:
        super().__init__(report, clock)
        self._settings, self._registers = settings, registers
        self._reception = reception
        self._planned: tuple[Sequence[ModbusRegister], list[RequestReader]] = (), []

    async def _run(self) -> None:
        loop = asyncio.get_running_loop()
        client = client_for(self._settings)
        every_s = self._settings.every_s
        try:
            while True:
                try:
                    self._report(DoorState.OPEN, await self._ask(client))
                except DoorError as error:
                    self._report(DoorState.TRYING, error.what)
                # In step with the clock, however long the answers took; what was missed is missed.
                # Devices of one cadence are asked at the same instants: what they say is committed
                # together, at a fraction of what a commit for each costs.
                now_s = loop.time()
                await asyncio.sleep((now_s // every_s + 1) * every_s - now_s)
        finally:
            client.close()

    async def _ask(self, client: Client) -> str:
        """Ask for everything once; what could not be read, in words."""
        registers = self._registers()
        if registers != self._planned[0]:
            self._planned = registers, readers_of(registers)
        if not registers:
            raise DoorError(
                f"{self._settings.station} is no station of a kind with registers",
                remedy="take it in with such a kind",
            )
        values, troubles = await asked(client, self._settings, self._planned[1])
        if values:
            answer = await offered(self._reception, self._message(values))
            troubles += _told(answer)
        elif troubles:
            raise DoorError("; ".join(troubles[:3]))
        return "; ".join(troubles[:3])

    def _message(self, values: dict[str, float]) -> Message:
        body = msgspec.json.encode(values)
        settings = self._settings
        where = f"{settings.address}#{settings.unit}"
        return Message(
            "modbus", where, body, self._clock(), BodyFormat.JSON, station=settings.station
        )


def client_for(settings: ModbusSetting) -> Client:
    """A client that connects when it is asked.

    Raises
    ------
    DoorError
        When the address can be none.
    """
    # Loaded with the first door of its sort: most people have none.
    from pymodbus.client import AsyncModbusSerialClient, AsyncModbusTcpClient

    if settings.address.startswith("/"):
        return AsyncModbusSerialClient(
            settings.address,
            baudrate=settings.baud,
            parity=settings.parity,
            stopbits=settings.stop_bits,
            timeout=_PATIENCE_S,
            retries=_RETRIES,
        )
    host, _, port = settings.address.rpartition(":")
    if not host:
        host, port = settings.address, str(_PORT)
    if not port.isdecimal():
        raise DoorError(f"{settings.address} is no address", remedy="write HOST:PORT")
    return AsyncModbusTcpClient(
        host.strip("[]"), port=int(port), timeout=_PATIENCE_S, retries=_RETRIES
    )


def readers_of(registers: Sequence[ModbusRegister]) -> list[RequestReader]:
    """What is asked for to read registers."""
    return [RequestReader(one) for one in planned_requests(registers)]


async def asked(
    client: Client, settings: ModbusSetting, readers: Sequence[RequestReader]
) -> tuple[dict[str, float], list[str]]:
    """The values of all registers that could be read, and why others could not.

    Raises
    ------
    DoorError
        When the device cannot be reached at all.
    """
    from pymodbus.exceptions import ModbusException

    await _connect(client, settings)
    values: dict[str, float] = {}
    troubles: list[str] = []
    for reader in readers:
        request = reader.request
        try:
            told = await _answer(client, request, settings.unit)
            values |= reader.values(told)
        except DoorError as error:
            troubles.append(f"{request.words}: device {settings.unit} {error.what}")
        except ModbusException as error:
            why = str(error).removeprefix("Modbus Error: ")
            troubles.append(f"{request.words}: no answer of device {settings.unit} ({why})")
        except ValueError as error:
            troubles.append(f"{request.words}: {error}")
    return values, troubles


async def registers_from(
    settings: ModbusSetting, table: RegisterTable, at: int, count: int
) -> tuple[int | bool, ...]:
    """What stands in a stretch of a device's table now.

    Raises
    ------
    DoorError
        When it cannot be reached, does not answer, or has no such registers.
    """
    from pymodbus.exceptions import ModbusException

    client = client_for(settings)
    request = ModbusRequest(table, at, count, ())
    try:
        await _connect(client, settings)
        told = await _answer(client, request, settings.unit)
    except DoorError as error:
        raise DoorError(
            f"{request.words}: {error.what}", remedy="is it switched on, and on that port?"
        ) from None
    except ModbusException as error:
        why = str(error).removeprefix("Modbus Error: ")
        raise DoorError(
            f"{request.words}: no answer of device {settings.unit} ({why})",
            remedy="try fewer registers, or another number of the device",
        ) from None
    finally:
        client.close()
    return tuple(told[:count])


async def _connect(client: Client, settings: ModbusSetting) -> None:
    if not client.connected and not await client.connect():
        raise DoorError(
            f"{settings.address} cannot be reached", remedy="is it switched on, and on that port?"
        )


async def _answer(client: Client, request: ModbusRequest, unit: int) -> Sequence[int | bool]:
    read = {
        RegisterTable.HOLDING: client.read_holding_registers,
        RegisterTable.INPUT: client.read_input_registers,
        RegisterTable.COIL: client.read_coils,
        RegisterTable.DISCRETE: client.read_discrete_inputs,
    }[request.table]
    told = await read(request.at, count=request.count, device_id=unit)
    if told.isError():
        number = int(getattr(told, "exception_code", 0))
        raise DoorError(_EXCEPTIONS.get(number, f"refuses (exception {number})"))
    several: Sequence[int | bool] = told.bits if request.table.is_bits else told.registers
    return several


def _told(answer: IntakeResult) -> list[str]:
    told = [one.why for one in (*answer.refused, *answer.strays)]
    return [answer.why] if answer.why else told[:1]
