"""Types that msgspec has to know before several threads use them."""

from __future__ import annotations

import msgspec


def prepare(*types: type[msgspec.Struct]) -> None:
    """Have msgspec work out types while their module is imported, and nobody else does so.

    It does that at the first use of a type else, and two threads that begin at once end the process
    (segmentation fault, msgspec 0.22). A decoder that stands in a module does the same.
    """
    for one in types:
        msgspec.json.Decoder(one)
