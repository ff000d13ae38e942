"""An image of firmware: what it is for, what is signed of it, and whether a signature holds.

What is signed is a text of a few lines that names the kind, the version, the size and the SHA-256
of the image. A station is given just this text with the signature as its last line, checks it
before it reads it, and then holds what it was sent to it: so nothing has to be written the same way
twice, and only a few hundred bytes have to be signed and checked on a small board.

Ed25519 is that of RFC 8032.
"""

from __future__ import annotations

import hashlib
import re

import msgspec
from cryptography.exceptions import InvalidSignature
from cryptography.hazmat.primitives.asymmetric.ed25519 import Ed25519PrivateKey, Ed25519PublicKey

from rook_tally.core.errors import UsageError

LARGEST_IMAGE = 16 * 1024 * 1024
"""Flash of common boards holds no more."""
_FIRST_LINE = "rook-tally firmware 1"
_SIGNATURE = "signature: "
_VERSION = re.compile(r"v?(\d{1,6}(?:\.\d{1,6}){0,3})")
_KEPT = "nothing was changed"


class FirmwareImage(msgspec.Struct, frozen=True):
    """An image of a kind's firmware; `sha256` and `signature` are written as hexadecimal."""

    id: int
    kind: str
    version: str
    notes: str
    size: int
    sha256: str
    signature: str
    added_us: int
    who: str


class SigningKey(msgspec.Struct, frozen=True):
    """The site's key, as hexadecimal; `private` is empty where it is kept somewhere else."""

    public: str
    private: str = ""


def version_numbers(text: str) -> tuple[int, ...] | None:
    """A version such as 1.4 or v1.4.2 as numbers, without the zeros at its end; None for others."""
    found = _VERSION.fullmatch(text.strip())
    if found is None:
        return None
    numbers = [int(one) for one in found[1].split(".")]
    while numbers and not numbers[-1]:
        numbers.pop()
    return tuple(numbers)


def is_newer(version: str, than: str) -> bool:
    """True if a version is newer than that of a station; one that cannot be read is older than
    every image."""
    numbers, others = version_numbers(version), version_numbers(than)
    return numbers is not None and (others is None or numbers > others)


def checked_version(text: str) -> str:
    """The version as it is written down.

    Raises
    ------
    UsageError
        When it is not numbers with points between them.
    """
    found = _VERSION.fullmatch(text.strip())
    if found is None:
        raise UsageError(
            f"{text!r} is no version", kept=_KEPT, remedy="write up to four numbers, as in 1.4.0"
        )
    return found[1]


def signed_text(kind: str, version: str, size: int, sha256: str) -> str:
    """What is signed of an image."""
    return f"{_FIRST_LINE}\nkind: {kind}\nversion: {version}\nsize: {size}\nsha256: {sha256}\n"


def image_offer(image: FirmwareImage) -> str:
    """What a station is given: what is signed, and the signature as the last line."""
    text = signed_text(image.kind, image.version, image.size, image.sha256)
    return f"{text}{_SIGNATURE}{image.signature}\n"


def new_signing_key() -> SigningKey:
    """A key that nobody has yet."""
    private = Ed25519PrivateKey.generate()
    return SigningKey(
        private.public_key().public_bytes_raw().hex(), private.private_bytes_raw().hex()
    )


def public_key_from(text: str) -> SigningKey:
    """The key of which only the public half is told.

    Raises
    ------
    UsageError
        When it is not 32 bytes as hexadecimal.
    """
    try:
        told = bytes.fromhex(text.strip())
        Ed25519PublicKey.from_public_bytes(told)
    except ValueError:
        raise UsageError(
            "that is no public key",
            kept=_KEPT,
            remedy="give the 32 bytes of an Ed25519 key as 64 hexadecimal digits",
        ) from None
    return SigningKey(told.hex())


def check_key(key: SigningKey) -> None:
    """Refuse a key that can be none, or of which the halves do not belong together.

    Raises
    ------
    UsageError
        When it cannot sign, or check, anything.
    """
    public_key_from(key.public)
    if not key.private:
        return
    try:
        private = Ed25519PrivateKey.from_private_bytes(bytes.fromhex(key.private))
    except ValueError:
        raise UsageError(
            "that is no private key", kept=_KEPT, remedy="copy the site file anew"
        ) from None
    if private.public_key().public_bytes_raw() != bytes.fromhex(key.public):
        raise UsageError(
            "the halves of the key that signs firmware do not belong together",
            kept=_KEPT,
            remedy="copy the site file anew",
        )


def signature_of(key: SigningKey, text: str) -> str:
    """Sign a text.

    Raises
    ------
    UsageError
        When the private half of the key is not here.
    """
    if not key.private:
        raise UsageError(
            "the private half of the site's key is not kept here",
            kept=_KEPT,
            remedy="sign where it is kept, and give the signature along",
        )
    private = Ed25519PrivateKey.from_private_bytes(bytes.fromhex(key.private))
    return private.sign(text.encode()).hex()


def does_hold(public: str, text: str, signature: str) -> bool:
    """True if a signature of a text is that of a key."""
    try:
        key = Ed25519PublicKey.from_public_bytes(bytes.fromhex(public))
        key.verify(bytes.fromhex(signature), text.encode())
    except (ValueError, InvalidSignature):
        return False
    return True


def is_signed(image: FirmwareImage, key: SigningKey) -> bool:
    """True if what is written down of an image is what was signed."""
    text = signed_text(image.kind, image.version, image.size, image.sha256)
    return does_hold(key.public, text, image.signature)


def digest_of(body: bytes) -> str:
    """The SHA-256 of an image, as hexadecimal."""
    return hashlib.sha256(body).hexdigest()


def check_image(body: bytes) -> None:
    """Refuse what can be no image.

    Raises
    ------
    UsageError
        When it is empty or larger than flash of common boards.
    """
    if not body:
        raise UsageError("the file is empty", kept=_KEPT, remedy="name the image that was built")
    if len(body) > LARGEST_IMAGE:
        raise UsageError(
            f"the image has {len(body)} bytes",
            kept=_KEPT,
            remedy=f"at most {LARGEST_IMAGE // 1024 // 1024} MB; name the image for an update, "
            "not that of the whole flash",
        )
