"""Numbers as people type them, read by the decimal mark that figures are shown with; and numbers
written so that they can be typed back.

A mark that could be meant in two ways is never read silently: with a decimal point `1,000` is a
thousand and `1,5` one and a half, as no thousand can be written so; with a decimal comma `1,000` is
one and `1.000,5` a thousand and a half. What fits neither is refused with an example.
"""

from __future__ import annotations

import math
import re

from rook_tally.core.errors import UsageError
from rook_tally.core.quantities.number_format import decimal_mark
from rook_tally.core.quantities.texts import tr

_MINUSES = str.maketrans({"−": "-", "–": "-", "—": "-"})
# A figure space, thin spaces, those that do not break, and the apostrophes of Swiss figures.
_SPACES = "\u0020\u00a0\u2007\u2009\u202f'’"
_NUMBER = (
    r"(?P<sign>[-+]?)(?P<whole>\d(?:[\d.," + _SPACES + r"]*\d)?\.?|[.,]\d+)"
    r"(?P<power>[eE][-+]?\d{1,3})?"
)
_WITH_UNIT = re.compile(_NUMBER + r"(?P<unit>.*)", re.DOTALL)
_DIGITS = 12


def typed_number(text: str) -> float:
    """The number that a person typed.

    Raises
    ------
    UsageError
        When it is none, or could be two.
    """
    number, rest = number_and_unit(text)
    if rest:
        raise _wrong(text)
    return number


def number_and_unit(text: str) -> tuple[float, str]:
    """The number that a text begins with, and what stands behind it.

    Raises
    ------
    UsageError
        When it begins with none, or with one that could be two.
    """
    found = _WITH_UNIT.fullmatch(text.strip().translate(_MINUSES))
    if found is None:
        raise _wrong(text)
    plain = _plain(found["whole"].rstrip(_SPACES))
    if plain is None:
        raise _wrong(text)
    number = float(f"{found['sign']}{plain}{found['power'] or ''}")
    if not math.isfinite(number):
        raise _wrong(text)
    return number, found["unit"].strip()


def number_text(value: float) -> str:
    """A number for a line that it can be typed over in: all its digits, no thousands marked."""
    text = f"{value:.{_DIGITS}g}"
    if "e" in text and 1e-9 <= abs(value) < 1e15:
        text = f"{value:.{max(0, _DIGITS - 1 - math.floor(math.log10(abs(value))))}f}"
        text = text.rstrip("0").rstrip(".") if "." in text else text
    return text.replace(".", decimal_mark()).replace("-", "−", 1)


def _plain(digits: str) -> str | None:
    """Digits as Python reads them; None for what could be meant otherwise."""
    mark = decimal_mark()
    other = "," if mark == "." else "."
    whole, _, part = digits.partition(mark)
    if not part or part.isdigit():
        if not whole or whole.isdigit():
            return f"{whole or '0'}.{part or '0'}"
        if _is_grouped(whole, other + _SPACES):
            return f"{re.sub(r'[^0-9]', '', whole)}.{part or '0'}"
    # The other mark as the decimal one, where it cannot be a mark of thousands.
    whole, found, part = digits.partition(other)
    if found and part.isdigit() and (not whole or whole.isdigit() or _is_grouped(whole, _SPACES)):
        return f"{re.sub(r'[^0-9]', '', whole) or '0'}.{part}"
    return None


def _is_grouped(whole: str, marks: str) -> bool:
    """True for thousands parted by one and the same of these marks."""
    return any(re.fullmatch(rf"[1-9]\d{{0,2}}(?:{re.escape(one)}\d{{3}})+", whole) for one in marks)


def _wrong(text: str) -> UsageError:
    mark = decimal_mark()
    told = text.strip()
    words = (
        tr("{0} could be read as two numbers", repr(told))
        if re.fullmatch(rf"[-+]?[\d.,{_SPACES}]*\d[.,]\d+", told.translate(_MINUSES))
        else tr("{0} is no number", repr(told))
    )
    return UsageError(words, remedy=tr("write such as {0} or {1}", f"0{mark}5", f"−1250{mark}25"))
