"""Messages of a layout out of a stream of bytes that says nowhere where one begins."""

from __future__ import annotations

from rook_tally.core.quantities.byte_layout import ByteLayout, BytesText
from rook_tally.core.quantities.layout_reading import LayoutError, LayoutReader

_KEPT_NOISE = 64


class FrameSplitter:
    """Cuts a stream into messages of one length: where the layout's beginning stands and its check
    holds. What fits none is passed over, byte by byte, until the next message.

    `noise` is the beginning of what was passed over since the last message.
    """

    def __init__(self, layout: ByteLayout) -> None:
        self._reader = LayoutReader(layout)
        self._begins = bytes.fromhex(layout.begins)
        self.length = layout.length or layout.least
        self._waiting = bytearray()
        self.noise = bytearray()

    def feed(self, data: bytes) -> list[bytes]:
        """The messages that are whole by now."""
        self._waiting += data
        found: list[bytes] = []
        at = 0
        while True:
            begin = self._waiting.find(self._begins, at) if self._begins else at
            if begin < 0:
                # Its end may be the beginning of the next.
                begin = max(at, len(self._waiting) - len(self._begins) + 1)
                self._pass_over(at, begin)
                at = begin
                break
            self._pass_over(at, begin)
            at = begin
            if len(self._waiting) - at < self.length:
                break
            body = bytes(self._waiting[at : at + self.length])
            try:
                self._reader.check(body)
            except LayoutError:
                self._pass_over(at, at + 1)
                at += 1
                continue
            found.append(body)
            self.noise.clear()
            at += self.length
        del self._waiting[:at]
        return found

    def _pass_over(self, begin: int, end: int) -> None:
        room = _KEPT_NOISE - len(self.noise)
        if room > 0:
            self.noise += self._waiting[begin : min(end, begin + room)]


def can_be_cut(layout: ByteLayout | None) -> bool:
    """True if messages of a layout can be told apart in a stream: they are bare bytes of one length
    that begin or end in a way of their own."""
    return (
        layout is not None
        and not layout.at
        and layout.written is BytesText.BYTES
        and bool(layout.begins or layout.check)
        and (layout.repeat is None or layout.length is not None)
    )
