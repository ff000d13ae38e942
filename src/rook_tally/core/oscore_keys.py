"""What a station and a collector share to protect CoAP messages by OSCORE (RFC 8613)."""

from __future__ import annotations

import hashlib
import hmac

import msgspec

_INFO = b"Rook Tally OSCORE"
_SECRET_BYTES = 16


class OscoreKeys(msgspec.Struct, frozen=True):
    """The pre-shared part of a security context, as the station has it: its own id is the sender's.
    The collector's id is empty, algorithm and hash are the usual ones, there is no salt."""

    secret: bytes
    sender_id: bytes
    recipient_id: bytes = b""

    @property
    def words(self) -> str:
        """What is typed into a station's program."""
        return (
            f"OSCORE, sender ID {self.sender_id.hex()} (hex), recipient ID empty, "
            f"master secret {self.secret.hex()} (hex), no salt"
        )


def oscore_keys(station_id: int, access_hash: str) -> OscoreKeys:
    """The keys of a station, from its number and the SHA-256 of its access key, in hex.

    The secret is HKDF-Expand (RFC 5869, section 2.3) of the hash, one block: the access key is
    random and long, so there is nothing to extract. Another access key is another secret.
    """
    block = hmac.digest(bytes.fromhex(access_hash), _INFO + b"\x01", hashlib.sha256)
    length = max(1, (station_id.bit_length() + 7) // 8)
    return OscoreKeys(block[:_SECRET_BYTES], station_id.to_bytes(length, "big"))
