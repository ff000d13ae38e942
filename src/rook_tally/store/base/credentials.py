"""Access keys: made here, shown once, kept as hashes only.

What it takes is loaded with the first key: a window that starts needs none of it.
"""

from __future__ import annotations

import msgspec

# What mosquitto_passwd itself uses; a key of 192 random bits needs no more.
_ROUNDS, _SALT_BYTES = 101, 12


class Credentials(msgspec.Struct, frozen=True):
    """The stored form of an access key."""

    access_hash: str
    broker_hash: str


NO_KEY = Credentials("", "")
"""Of a station that has no access key (yet)."""


def new_access_key() -> str:
    """A fresh key of 192 random bits, in letters, digits, - and _."""
    import secrets

    return secrets.token_urlsafe(24)


def credentials_of(access_key: str) -> Credentials:
    """The stored form of a key."""
    return Credentials(access_hash(access_key), broker_hash(access_key))


def access_hash(access_key: str) -> str:
    """The hash that the HTTP door compares. The key is random and long, so a plain SHA-256
    suffices."""
    import hashlib

    # What came as bytes that are no text is a wrong key like any other.
    return hashlib.sha256(access_key.encode("utf-8", "surrogatepass")).hexdigest()


def broker_hash(access_key: str) -> str:
    """The same for a line of Mosquitto's password file: PBKDF2 with SHA-512, written `$7$…`."""
    import base64
    import hashlib
    import secrets

    salt = secrets.token_bytes(_SALT_BYTES)
    derived = hashlib.pbkdf2_hmac("sha512", access_key.encode(), salt, _ROUNDS)
    told = (base64.b64encode(part).decode() for part in (salt, derived))
    return f"$7${_ROUNDS}${'$'.join(told)}"
