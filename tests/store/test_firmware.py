"""Firmware in the store: images in pieces, rollouts, what stations have; and what is refused."""

from __future__ import annotations

import msgspec
import pytest
import sqlalchemy as sa
from sqlalchemy.engine import Connection

from rook_tally.core.errors import StoreError, UsageError
from rook_tally.core.firmware.images import (
    SigningKey,
    digest_of,
    new_signing_key,
    signature_of,
    signed_text,
)
from rook_tally.core.firmware.rollout import Rollout, RolloutStage, RolloutState
from rook_tally.core.quantities.kinds import KINDS
from rook_tally.store.base import Store, schema
from rook_tally.store.site import add_station, load_site
from rook_tally.store.site.change_history import configuration_changes, noting_changes
from rook_tally.store.site.firmware import (
    ImageDraft,
    add_image,
    ensure_signing_key,
    image_bytes,
    image_called,
    images,
    is_intact,
    remove_image,
    set_signing_key,
    signing_key,
)
from rook_tally.store.site.firmware_rollouts import (
    AskingStation,
    RolloutStep,
    begin_rollout,
    change_rollout,
    firmware_of,
    note_asked,
    note_fetched,
    offer_for,
    station_of_key,
)
from tests.builders import NOON_US

BODY = bytes(range(256)) * 3000
KIND = "substrate-probe"


def _add(connection: Connection, version: str = "1.1", body: bytes = BODY) -> None:
    add_image(connection, ImageDraft(KIND, version, body, "quieter"), who="me", now_us=NOON_US)


@pytest.fixture
def keys(store: Store) -> dict[str, str]:
    """Access keys of three stations of the kind."""
    with store.write() as connection:
        return {
            name: add_station(connection, name, place="Yard", kind=KINDS[KIND])
            for name in ("post-1", "post-2", "post-3")
        }


def _ask(connection: Connection, key: str, version: str = "1.0") -> AskingStation:
    station = station_of_key(connection, key)
    assert station is not None
    note_asked(connection, station, version, NOON_US)
    return station


def test_an_image_comes_out_as_it_went_in_and_in_any_part(store: Store) -> None:
    with store.write() as connection:
        _add(connection)
        image = image_called(connection, KIND, "")
        assert (image.version, image.size, image.notes) == ("1.1", len(BODY), "quieter")
        assert image.sha256 == digest_of(BODY)
        assert image_bytes(connection, image) == BODY
        edge = 256 * 1024
        for begin, end in (
            (0, 1),
            (edge - 1, edge + 1),
            (edge, 2 * edge),
            (700_000, 10**9),
            (9, 9),
        ):
            assert image_bytes(connection, image, begin, end) == BODY[begin:end]
        assert is_intact(connection, image)


def test_the_key_is_made_once_and_only_its_public_half_may_be_here(store: Store) -> None:
    with store.write() as connection:
        assert signing_key(connection) is None
        made = ensure_signing_key(connection)
        assert ensure_signing_key(connection) == made
        elsewhere = new_signing_key()
        set_signing_key(connection, SigningKey(elsewhere.public))
        with pytest.raises(UsageError, match="sign where it is kept"):
            _add(connection)
        text = signed_text(KIND, "1.1", len(BODY), digest_of(BODY))
        signature = signature_of(elsewhere, text)
        draft = ImageDraft(KIND, "1.1", BODY, signature=signature)
        with pytest.raises(UsageError, match="not that of the site's key"):
            wrong = msgspec.structs.replace(draft, version="1.2")
            add_image(connection, wrong, who="me", now_us=NOON_US)
        assert is_intact(connection, add_image(connection, draft, who="me", now_us=NOON_US))


@pytest.mark.parametrize(
    ("draft", "why"),
    [
        (ImageDraft("no-such", "1.0", b"x"), "no-such"),
        (ImageDraft(KIND, "newest", b"x"), "is no version"),
        (ImageDraft(KIND, "1.0", b""), "empty"),
        (ImageDraft(KIND, "1.1", b"x"), "has an image 1.1 already"),
    ],
)
def test_what_cannot_be_an_image_is_refused(store: Store, draft: ImageDraft, why: str) -> None:
    with store.write() as connection:
        _add(connection)
        with pytest.raises(UsageError, match=why):
            add_image(connection, draft, who="me", now_us=NOON_US)
        assert len(images(connection)) == 1


@pytest.mark.parametrize(
    "spoil",
    [
        sa.update(schema.firmware_image).values(version="9.9"),
        sa.update(schema.firmware_image).values(sha256=digest_of(b"other")),
        sa.update(schema.firmware_piece).values(body=b"other"),
        sa.delete(schema.firmware_piece).where(schema.firmware_piece.c.number == 1),
    ],
)
def test_an_image_that_was_tampered_with_is_not_given_out(
    store: Store, spoil: sa.Update | sa.Delete
) -> None:
    with store.write() as connection:
        _add(connection)
        connection.execute(spoil)
        assert not is_intact(connection, images(connection)[0])
        with pytest.raises(UsageError, match="not what the site's key signed"):
            begin_rollout(connection, KIND, "", Rollout(0), now_us=NOON_US)
        assert firmware_of(connection, KIND).rollout is None


def test_a_part_of_an_image_that_is_not_whole_is_an_error(store: Store) -> None:
    with store.write() as connection:
        _add(connection)
        piece = schema.firmware_piece
        connection.execute(sa.delete(piece).where(piece.c.number == 2))
        image = images(connection)[0]
        assert image_bytes(connection, image, 0, 1000) == BODY[:1000]
        with pytest.raises(StoreError, match="not whole"):
            image_bytes(connection, image, 600_000, 700_000)


def test_who_asks_first_is_offered_it_and_the_next_after_that(
    store: Store, keys: dict[str, str]
) -> None:
    with store.write() as connection:
        _add(connection)
        first, second = (_ask(connection, keys[name]) for name in ("post-1", "post-2"))
        assert offer_for(connection, first) is None
        begin_rollout(connection, KIND, "1.1", Rollout(0), now_us=NOON_US)
        offered = offer_for(connection, first)
        assert offered == images(connection)[0]
        assert offer_for(connection, second) is None
        change_rollout(connection, KIND, RolloutStep.NEXT, now_us=NOON_US)
        change_rollout(connection, KIND, RolloutStep.NEXT, now_us=NOON_US)
        assert offer_for(connection, second) is not None
        note_fetched(connection, second, offered, NOON_US)
        note_asked(connection, second, "1.1", NOON_US + 5)
        # It runs it: there is nothing to offer any more.
        assert offer_for(connection, second) is None
        updates = {one.station: one for one in firmware_of(connection, KIND).updates}
        assert updates["post-2"].updated_us == NOON_US + 5
        assert updates["post-2"].version == "1.1"
        assert updates["post-3"].asked_us is None
        assert load_site(connection).station("post-2").firmware == "1.1"


@pytest.mark.parametrize("step", [RolloutStep.PAUSE, RolloutStep.WITHDRAW])
def test_what_is_paused_or_withdrawn_is_offered_to_nobody(
    store: Store, keys: dict[str, str], step: RolloutStep
) -> None:
    with store.write() as connection:
        _add(connection)
        asking = _ask(connection, keys["post-1"])
        begin_rollout(connection, KIND, "", Rollout(0, stage=RolloutStage.ALL), now_us=NOON_US)
        change_rollout(connection, KIND, step, now_us=NOON_US)
        assert offer_for(connection, asking) is None
        if step is RolloutStep.PAUSE:
            change_rollout(connection, KIND, RolloutStep.RESUME, now_us=NOON_US)
            assert offer_for(connection, asking) is not None


def test_steps_that_are_none_are_refused(store: Store, keys: dict[str, str]) -> None:
    with store.write() as connection:
        _add(connection)
        with pytest.raises(UsageError, match="nothing is given out"):
            change_rollout(connection, KIND, RolloutStep.NEXT, now_us=NOON_US)
        with pytest.raises(UsageError, match="no image 7"):
            begin_rollout(connection, KIND, "7", Rollout(0), now_us=NOON_US)
        with pytest.raises(UsageError, match="kiln is no station of substrate-probe"):
            begin_rollout(connection, KIND, "", Rollout(0, first="kiln"), now_us=NOON_US)
        with pytest.raises(UsageError, match="more than none"):
            begin_rollout(connection, KIND, "", Rollout(0, share=0), now_us=NOON_US)
        begin_rollout(connection, KIND, "", Rollout(0, stage=RolloutStage.ALL), now_us=NOON_US)
        with pytest.raises(UsageError, match="given it already"):
            begin_rollout(connection, KIND, "", Rollout(0), now_us=NOON_US)
        for step in (RolloutStep.NEXT, RolloutStep.RESUME):
            with pytest.raises(UsageError, match="offered to all stations"):
                change_rollout(connection, KIND, step, now_us=NOON_US)
        with pytest.raises(UsageError, match="withdraw it first"):
            remove_image(connection, KIND, "1.1")


def test_a_deleted_image_can_be_had_back(store: Store) -> None:
    with store.write() as connection:
        _add(connection)
        gone = remove_image(connection, KIND, "1.1")
        assert not images(connection)
        back = add_image(connection, gone, who="me", now_us=NOON_US)
        assert image_bytes(connection, back) == BODY
        assert is_intact(connection, back)


def test_what_people_do_with_a_rollout_is_in_the_history_of_changes(store: Store) -> None:
    with store.write() as connection:
        _add(connection)
        with noting_changes(connection, who="me", now_us=NOON_US):
            begin_rollout(connection, KIND, "", Rollout(0), now_us=NOON_US)
        (change,) = configuration_changes(connection)
        assert KIND in change.words
        assert firmware_of(connection, KIND).rollout.state is RolloutState.RUNNING


def test_keys_of_nobody_and_of_stations_out_of_use_open_nothing(
    store: Store, keys: dict[str, str]
) -> None:
    with store.write() as connection:
        assert station_of_key(connection, "none") is None
        table = schema.station
        connection.execute(
            sa.update(table).where(table.c.key == "post-1").values(retired_us=NOON_US)
        )
        assert station_of_key(connection, keys["post-1"]) is None
        assert station_of_key(connection, keys["post-2"]) is not None
