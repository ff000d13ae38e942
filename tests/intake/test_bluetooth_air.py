"""What is heard by radio where very much is: bounded, forgotten in time, and none mixed up."""

from __future__ import annotations

import pytest
from bleak.backends.device import BLEDevice
from bleak.backends.scanner import AdvertisementData

from rook_tally.intake.doors.bluetooth_air import Air, key_of


def _address(number: int) -> str:
    return f"C4:11:0A:00:{number >> 8:02X}:{number & 255:02X}"


def _hear(air: Air, number: int, rssi: int = -70, *, name: str | None = None) -> None:
    device = BLEDevice(_address(number), name, None)
    told = AdvertisementData(
        local_name=name,
        manufacturer_data={0xFFFF: number.to_bytes(4, "big")},
        service_data={},
        service_uuids=[],
        tx_power=None,
        rssi=rssi,
        platform_data=(),
    )
    air.note(device, told)


def test_of_more_than_can_be_looked_after_those_heard_last_stay(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    now_s = [0.0]
    monkeypatch.setattr("rook_tally.intake.doors.bluetooth_air.time.monotonic", lambda: now_s[0])
    air = Air()
    for number in range(700):
        now_s[0] += 0.1
        _hear(air, number)
        # A sensor of ours says something all the while.
        if number % 20 == 0:
            _hear(air, 9_999, name="kiln shelf")
    assert len(air.heard) == 500
    assert air.heard[_address(9_999)].name == "kiln shelf"
    assert _address(699) in air.heard
    assert _address(0) not in air.heard
    for address, one in air.heard.items():
        number = int(address[-5:].replace(":", ""), 16)
        assert one.data == {"company ffff": number.to_bytes(4, "big")}
        assert one.key == key_of(address)


def test_what_fell_silent_makes_room(monkeypatch: pytest.MonkeyPatch) -> None:
    now_s = [0.0]
    monkeypatch.setattr("rook_tally.intake.doors.bluetooth_air.time.monotonic", lambda: now_s[0])
    air = Air()
    for number in range(100):
        _hear(air, number)
    now_s[0] = 301.0
    _hear(air, 200)
    assert list(air.heard) == [_address(200)]


def test_a_name_that_was_told_once_stays(monkeypatch: pytest.MonkeyPatch) -> None:
    """Passive scans bring the name only now and then."""
    air = Air()
    _hear(air, 1, name="kiln shelf")
    _hear(air, 1, rssi=-50)
    (one,) = air.heard.values()
    assert (one.name, one.rssi) == ("kiln shelf", -50)
