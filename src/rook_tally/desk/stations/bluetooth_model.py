"""What is read of a Bluetooth sensor, as it is typed in the window; without Qt."""

from __future__ import annotations

import enum
from collections.abc import Mapping

import msgspec
from msgspec.structs import replace

from rook_tally.core.errors import UsageError
from rook_tally.core.quantities.bluetooth_map import (
    AdvertisedData,
    BluetoothMap,
    CharacteristicData,
    bluetooth_from_table,
    bluetooth_table,
    characteristic_source,
    company_source,
    service_source,
    short_uuid,
    whole_uuid,
)
from rook_tally.core.quantities.byte_layout import ByteLayout
from rook_tally.desk.stations.texts import tr, tr_count


class DataSort(enum.Enum):
    """Where bytes of a sensor stand; its value is what the window calls it."""

    COMPANY = "advertised by the company"
    SERVICE = "advertised for the service"
    READ = "characteristic that is read"
    SENT = "characteristic that sends by itself"


class TypedData(msgspec.Struct, frozen=True):
    """Bytes of a sensor: `text` is the number of the company or the UUID, as it is typed."""

    sort: DataSort
    text: str
    layout: ByteLayout | None = None

    @property
    def source(self) -> str:
        """What they are called.

        Raises
        ------
        UsageError
            When the number or UUID is none.
        """
        match self.sort:
            case DataSort.COMPANY:
                return company_source(self._company)
            case DataSort.SERVICE:
                return service_source(whole_uuid(self.text))
            case DataSort.READ | DataSort.SENT:
                return characteristic_source(whole_uuid(self.text))

    @property
    def _company(self) -> int:
        try:
            return int(self.text.strip().lower().removeprefix("0x"), 16)
        except ValueError:
            raise UsageError(
                tr("{0} is no number of a company", self.text.strip() or "?"),
                remedy=tr("write it in hexadecimal, as 0499"),
            ) from None

    @property
    def words(self) -> str:
        """What its layout reads, in a few words."""
        if self.layout is None:
            return tr("no bytes are read yet")
        names = ", ".join(one.name for one in self.layout.field)
        return tr_count(len(self.layout.field), "1 field: {1}", "{0} fields: {1}", names)

    @property
    def made(self) -> AdvertisedData | CharacteristicData:
        """The same as a kind has it.

        Raises
        ------
        UsageError
            When it cannot be meant, or no bytes of it are read.
        """
        if self.layout is None:
            raise UsageError(
                tr("of {0} no bytes are read", self.source),
                remedy=tr("pick them with “Bytes…”, or remove it"),
            )
        match self.sort:
            case DataSort.COMPANY:
                return AdvertisedData(company=self._company, layout=self.layout)
            case DataSort.SERVICE:
                return AdvertisedData(service=whole_uuid(self.text), layout=self.layout)
            case DataSort.READ | DataSort.SENT:
                return CharacteristicData(
                    uuid=whole_uuid(self.text),
                    notify=self.sort is DataSort.SENT,
                    layout=self.layout,
                )


class TypedBluetooth(msgspec.Struct, frozen=True):
    """What is read of a sensor, as it is typed."""

    named: str = ""
    lines: bool = False
    data: tuple[TypedData, ...] = ()

    def with_data(self, at: int, one: TypedData) -> TypedBluetooth:
        """The same with one of its data replaced."""
        return replace(self, data=(*self.data[:at], one, *self.data[at + 1 :]))

    def without(self, at: int) -> TypedBluetooth:
        """The same without one of its data."""
        return replace(self, data=(*self.data[:at], *self.data[at + 1 :]))

    def made(self) -> BluetoothMap | None:
        """What was typed; None where nothing is to be read by Bluetooth.

        Raises
        ------
        UsageError
            When it cannot be meant.
        """
        if self == TypedBluetooth():
            return None
        several = [one.made for one in self.data]
        made = BluetoothMap(
            named=self.named.strip(),
            lines=self.lines,
            advertised=tuple(one for one in several if isinstance(one, AdvertisedData)),
            characteristic=tuple(one for one in several if isinstance(one, CharacteristicData)),
        )
        # A file of it is read as strictly as anybody's.
        return bluetooth_from_table(bluetooth_table(made))


def typed_bluetooth(told: BluetoothMap | None) -> TypedBluetooth:
    """What a kind reads, to be typed over."""
    if told is None:
        return TypedBluetooth()
    data = [
        TypedData(DataSort.COMPANY, f"{one.company:04x}", one.layout)
        if one.company is not None
        else TypedData(DataSort.SERVICE, short_uuid(one.service), one.layout)
        for one in told.advertised
    ]
    data += [
        TypedData(DataSort.SENT if one.notify else DataSort.READ, short_uuid(one.uuid), one.layout)
        for one in told.characteristic
    ]
    return TypedBluetooth(told.named, told.lines, tuple(data))


def begun_with(name: str, heard: Mapping[str, str]) -> TypedBluetooth:
    """What is begun with for a sensor that is heard: what it advertises, by its sources; its name
    where that alone tells it from others."""
    data = []
    for source in heard:
        sort, _, text = source.partition(" ")
        if sort == "company":
            data.append(TypedData(DataSort.COMPANY, text))
        elif sort == "service":
            data.append(TypedData(DataSort.SERVICE, short_uuid(text)))
    return TypedBluetooth(named="" if data else name, data=tuple(data))
