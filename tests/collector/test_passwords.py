"""Passwords of mail servers go into the desktop's password store, and come back from it."""

from __future__ import annotations

import asyncio
import contextlib
from collections.abc import AsyncIterator, Callable
from pathlib import Path

import pytest

from rook_tally.collector.passwords import PasswordKeeping
from rook_tally.core.access_policy import PasswordsAt
from rook_tally.core.alarms.channels import Channel, ChannelKind
from rook_tally.notify.notifier import ActionError
from rook_tally.notify.password_store import PasswordStore
from rook_tally.store.alarms import remove_channel, save_channel, ways
from rook_tally.store.base import Store
from rook_tally.store.maintenance import open_store
from rook_tally.store.site.trust import set_passwords_at
from tests.notify.secret_service import Keyring

MAIL = Channel(
    name="the workshop",
    sort=ChannelKind.MAIL,
    host="mail.fennel.example",
    user="rook",
    password="glaze & clay",
    sender="rook@fennel.example",
    to=("wren@fennel.example",),
    port=587,
)


@pytest.fixture
async def keyring(session_bus: None) -> AsyncIterator[Keyring]:
    made = Keyring()
    await made.open()
    yield made
    made.close()


@pytest.fixture
def site(store_path: Path) -> Store:
    """A store in a file with one way of telling by mail."""
    store = open_store(store_path)
    _keep(store, MAIL)
    return store


def _keep(store: Store, way: Channel) -> None:
    with store.write() as connection:
        save_channel(connection, way)


def _kept(store: Store) -> Channel:
    with store.read() as connection:
        return next(one for one in ways(connection) if one.name == MAIL.name)


class Kept:
    """A collector's keeping of passwords, and what it said was amiss."""

    def __init__(self, store: Store) -> None:
        self.amiss: list[str] = []
        self.keeping = PasswordKeeping(store, PasswordStore(), say=self.amiss.append)

    async def look(self) -> bool:
        try:
            return await self.keeping.look()
        finally:
            self.keeping.close()

    @contextlib.asynccontextmanager
    async def running(self) -> AsyncIterator[PasswordKeeping]:
        task = asyncio.create_task(self.keeping.run())
        try:
            yield self.keeping
        finally:
            task.cancel()
            await asyncio.wait([task])


def _is_written(store_path: Path) -> bool:
    """Whether the password stands in any file of the store."""
    return any(b"glaze & clay" in one.read_bytes() for one in store_path.parent.glob("site.db*"))


async def _until(condition: Callable[[], object]) -> None:
    async with asyncio.timeout(20):
        while not condition():
            await asyncio.sleep(0.01)


async def test_a_password_leaves_the_store_and_is_at_hand_for_who_sends(
    keyring: Keyring, site: Store, store_path: Path
) -> None:
    kept = Kept(site)
    async with kept.running() as keeping:
        await _until(lambda: _kept(site).apart)
        assert keyring.kept == {"Rook Tally: the workshop": "glaze & clay"}
        assert _kept(site).password == ""
        assert keeping.with_password(_kept(site)) == MAIL
    # A look that was cancelled may still read in its thread, and then the log outlives the store.
    await asyncio.get_running_loop().shutdown_default_executor()
    site.close()
    assert not _is_written(store_path)
    assert kept.amiss == []


async def test_another_collector_finds_it_again_and_drops_what_no_way_has(
    keyring: Keyring, site: Store
) -> None:
    async with Kept(site).running():
        await _until(lambda: _kept(site).apart)
        first = _kept(site).apart
        _keep(site, MAIL.with_secret("another"))
    kept = Kept(site)
    async with kept.running() as keeping:
        await _until(lambda: _kept(site).apart not in ("", first))
        keeping.wake()
        await _until(lambda: len(keyring.items) == 1)
        assert keeping.with_password(_kept(site)).password == "another"


async def test_a_locked_password_store_is_said_once_and_read_when_it_is_open(
    keyring: Keyring, site: Store
) -> None:
    async with Kept(site).running():
        await _until(lambda: _kept(site).apart)
    keyring.is_locked = True
    kept = Kept(site)
    async with kept.running() as keeping:
        await _until(lambda: kept.amiss)
        with pytest.raises(ActionError, match="in the desktop's password store, which cannot"):
            keeping.with_password(_kept(site))
        keyring.is_locked = False
        keeping.wake()

        def is_at_hand() -> bool:
            with contextlib.suppress(ActionError):
                return keeping.with_password(_kept(site)).password == "glaze & clay"
            return False

        await _until(is_at_hand)
    assert len(kept.amiss) == 1
    assert (
        "the password for the workshop cannot be read: the desktop's password store is locked"
        in (kept.amiss[0])
    )


async def test_a_password_that_is_gone_is_asked_for_again(keyring: Keyring, site: Store) -> None:
    async with Kept(site).running():
        await _until(lambda: _kept(site).apart)
    for one in list(keyring.items.values()):
        keyring.remove(one)
    kept = Kept(site)
    async with kept.running():
        await _until(lambda: kept.amiss)
    assert "not in this desktop's password store; type it again" in kept.amiss[0]


async def test_without_a_password_store_it_stays_in_the_store(
    session_bus: None, site: Store
) -> None:
    kept = Kept(site)
    assert not await kept.look()
    assert _kept(site) == MAIL
    assert kept.keeping.with_password(_kept(site)) == MAIL
    assert kept.amiss == []


async def test_brought_back_into_the_store_when_it_is_wanted_there(
    keyring: Keyring, site: Store
) -> None:
    async with Kept(site).running() as keeping:
        await _until(lambda: _kept(site).apart)
        with site.write() as connection:
            set_passwords_at(connection, PasswordsAt.IN_STORE)
        keeping.wake()
        await _until(lambda: _kept(site) == MAIL)


async def test_one_changed_or_taken_away_meanwhile_is_left_as_it_is(
    keyring: Keyring, site: Store, monkeypatch: pytest.MonkeyPatch
) -> None:
    keep = PasswordStore.keep

    async def keep_and_remove(
        self: PasswordStore, label: str, attributes: dict[str, str], secret: str
    ) -> None:
        await keep(self, label, attributes, secret)
        with site.write() as connection:
            remove_channel(connection, MAIL.name)

    monkeypatch.setattr(PasswordStore, "keep", keep_and_remove)
    async with Kept(site).running():
        await _until(lambda: keyring._count == 1 and not keyring.items)
    with site.read() as connection:
        assert MAIL.name not in [one.name for one in ways(connection)]


async def test_a_server_keeps_what_several_machines_share(keyring: Keyring, store: Store) -> None:
    _keep(store, MAIL)
    assert await Kept(store).look()
    assert (_kept(store).apart == "") == (store.path is None)
