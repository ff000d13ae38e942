"""Lines of text that come in pieces over a serial service."""

from __future__ import annotations

from hypothesis import given
from hypothesis import strategies as st

from rook_tally.intake.doors.bluetooth_link import LineSplitter


def _lines(*pieces: bytes) -> list[bytes]:
    found: list[bytes] = []
    splitter = LineSplitter(found.append)
    for piece in pieces:
        splitter.take(piece)
    return found


def test_lines_are_put_together_of_pieces() -> None:
    assert _lines(b"temp=2", b"1.4\r\nrh", b"=40\n\n", b"half") == [b"temp=21.4", b"rh=40"]


@given(st.lists(st.text("abc =.5", min_size=1).map(str.strip).filter(bool)), st.data())
def test_lines_do_not_depend_on_how_they_are_cut(lines: list[str], data: st.DataObject) -> None:
    whole = "".join(f"{one}\n" for one in lines).encode()
    cuts = sorted(data.draw(st.lists(st.integers(0, len(whole)), max_size=6)))
    pieces = [whole[a:b] for a, b in zip([0, *cuts], [*cuts, len(whole)], strict=True)]
    assert _lines(*pieces) == [one.encode() for one in lines]


def test_what_never_ends_a_line_does_not_grow() -> None:
    pieces = [b"x" * 20] * 10_000
    (line,) = _lines(*pieces, b"\n")
    assert len(line) <= 1024 + 20
