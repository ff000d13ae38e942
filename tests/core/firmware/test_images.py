"""Images: versions, what is signed, and signatures as RFC 8032 and another package have them."""

from __future__ import annotations

import hashlib
from types import ModuleType

import pytest
from cryptography.hazmat.primitives.asymmetric.ed25519 import Ed25519PrivateKey
from hypothesis import given, settings
from hypothesis import strategies as st

from rook_tally.core.errors import UsageError
from rook_tally.core.firmware.images import (
    FirmwareImage,
    SigningKey,
    check_image,
    checked_version,
    digest_of,
    does_hold,
    image_offer,
    is_newer,
    is_signed,
    new_signing_key,
    public_key_from,
    signature_of,
    signed_text,
)
from rook_tally.core.quantities.connection_sheet import sender_part

# RFC 8032, 7.1: secret key, public key, message, signature.
VECTORS = [
    (
        "9d61b19deffd5a60ba844af492ec2cc44449c5697b326919703bac031cae7f60",
        "d75a980182b10ab7d54bfed3c964073a0ee172f3daa62325af021a68f707511a",
        "",
        "e5564300c360ac729086e2cc806e828a84877f1eb8e5d974d873e065224901555fb8821590a33bacc61e39701cf9"
        "b46bd25bf5f0595bbe24655141438e7a100b",
    ),
    (
        "4ccd089b28ff96da9db6c346ec114e0f5b8a319f35aba624da8cf6ed4fb8a6fb",
        "3d4017c3e843895a92b70aa74d1b7ebc9c982ccf2ec4968cc0cd55f12af4660c",
        "72",
        "92a009a9f0d4cab8720e820b5f642540a2b27b5416503f8fb3762223ebdb69da085ac1e43e15996e458f3613d0f1"
        "1d8c387b2eaeb4302aeeb00d291612bb0c00",
    ),
    (
        "c5aa8df43f9f837bedb7442f31dcb7b166d38535076f094b85ce3a2e0b4458f7",
        "fc51cd8e6218a1a38da47ed00230f0580816ed13ba3303ac5deb911548908025",
        "af82",
        "6291d657deec24024827e69c3abe01a30ce548a284743a445e3680d7db5ac3ac18ff9b538d16f290ae67f760984d"
        "c6594a7c15e9716ed28dc027beceea1ec40a",
    ),
]
KEY = SigningKey(VECTORS[1][1], VECTORS[1][0])


@pytest.fixture(scope="module")
def board() -> ModuleType:
    """The part of a generated program that checks signatures, with the SHA-512 of boards."""
    made = ModuleType("board")
    exec(sender_part("sha512.py.txt") + sender_part("signature_check.py.txt"), vars(made))
    return made


@pytest.mark.parametrize(("private", "public", "message", "signature"), VECTORS)
def test_generated_programs_check_what_rfc_8032_signed(
    board: ModuleType, private: str, public: str, message: str, signature: str
) -> None:
    told = bytes.fromhex(message), bytes.fromhex(signature), bytes.fromhex(public)
    assert board.is_signed(*told)
    assert not board.is_signed(told[0] + b"x", *told[1:])
    key = SigningKey(public, private)
    if not message:
        assert signature_of(key, "") == signature
    assert new_signing_key() != new_signing_key()


@settings(max_examples=40)
@given(st.binary(max_size=300))
def test_the_sha_512_of_boards_is_that_of_hashlib(board: ModuleType, body: bytes) -> None:
    assert board.sha512(body) == hashlib.sha512(body).digest()


@settings(max_examples=25)
@given(st.binary(min_size=32, max_size=32), st.binary(max_size=200), st.integers(0, 511))
def test_generated_programs_agree_with_another_package(
    board: ModuleType, seed: bytes, text: bytes, bit: int
) -> None:
    private = Ed25519PrivateKey.from_private_bytes(seed)
    public, signature = private.public_key().public_bytes_raw(), private.sign(text)
    assert board.is_signed(text, signature, public)
    spoilt = bytearray(signature)
    spoilt[bit // 8] ^= 1 << bit % 8
    assert not board.is_signed(text, bytes(spoilt), public)
    assert not board.is_signed(text, signature[:-1], public)


@given(st.lists(st.integers(0, 99), min_size=1, max_size=4), st.integers(0, 3))
def test_a_version_counts_by_its_numbers(numbers: list[int], at: int) -> None:
    text = ".".join(map(str, numbers))
    numbers[at % len(numbers)] += 1
    higher = ".".join(map(str, numbers))
    assert is_newer(higher, text)
    assert not is_newer(text, higher)
    assert not is_newer(text, f"v{text}")


@pytest.mark.parametrize(
    ("version", "than", "newer"),
    [
        ("1.10", "1.9", True),
        ("1.0", "1", False),
        ("2", "2.0.0", False),
        ("1.0", "", True),
        ("1.0", "built-by-hand", True),
        ("x", "1.0", False),
    ],
)
def test_which_version_is_newer(version: str, than: str, newer: bool) -> None:
    assert is_newer(version, than) is newer


@pytest.mark.parametrize("text", ["", "1.", "1.2.3.4.5", "1.x", "-1", "latest", "1 2", "1\n2"])
def test_what_is_no_version_is_refused(text: str) -> None:
    with pytest.raises(UsageError, match="is no version"):
        checked_version(text)


def _image(**changed: object) -> FirmwareImage:
    digest = digest_of(b"image")
    told = {"kind": "soil-post", "version": "1.4", "size": 5, "sha256": digest} | changed
    signature = signature_of(KEY, signed_text("soil-post", "1.4", 5, digest))
    return FirmwareImage(
        id=1,
        notes="",
        signature=signature,
        added_us=0,
        who="",
        **told,  # type: ignore[arg-type]
    )


def test_an_offer_is_what_is_signed_and_the_signature_as_its_last_line() -> None:
    offer = image_offer(_image())
    text, _, signature = offer.partition("signature: ")
    assert does_hold(KEY.public, text, signature.strip())
    assert text.splitlines() == [
        "rook-tally firmware 1",
        "kind: soil-post",
        "version: 1.4",
        "size: 5",
        f"sha256: {hashlib.sha256(b'image').hexdigest()}",
    ]


@pytest.mark.parametrize(
    "changed", [{"kind": "room-air"}, {"version": "1.5"}, {"size": 6}, {"sha256": "00" * 32}]
)
def test_an_image_of_which_anything_else_is_told_is_not_signed(changed: dict[str, object]) -> None:
    assert is_signed(_image(), KEY)
    assert not is_signed(_image(**changed), KEY)
    assert not is_signed(_image(), new_signing_key())


@pytest.mark.parametrize("signature", ["", "zz", "00" * 63, "00" * 64])
def test_a_signature_that_is_none_does_not_hold(signature: str) -> None:
    assert not does_hold(KEY.public, "text", signature)


def test_the_public_half_alone_signs_nothing() -> None:
    key = public_key_from(f" {KEY.public}\n")
    with pytest.raises(UsageError, match="sign where it is kept"):
        signature_of(key, "text")
    for text in ("", "12", "zz" * 32):
        with pytest.raises(UsageError, match="no public key"):
            public_key_from(text)


def test_files_that_can_be_no_image_are_refused() -> None:
    with pytest.raises(UsageError, match="empty"):
        check_image(b"")
    with pytest.raises(UsageError, match="not that of the whole flash"):
        check_image(bytes(16 * 1024 * 1024 + 1))
