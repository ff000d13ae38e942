"""Pressed keys as they are written in a view's actions."""

from __future__ import annotations

from PySide6.QtGui import QKeyEvent, QKeySequence

# Where letters lie on the keyboard, by the number of the first of a row (evdev's, and eight).
_ROWS = {24: "QWERTYUIOP", 38: "ASDFGHJKL", 52: "ZXCVBNM"}


def latin_key(scan_code: int) -> str:
    """The letter printed at a place of the keyboard in Latin layouts; empty for other keys."""
    for first, letters in _ROWS.items():
        if first <= scan_code < first + len(letters):
            return letters[scan_code - first]
    return ""


def keys_of(event: QKeyEvent) -> tuple[str, ...]:
    """A pressed key as Qt writes it, with and without Shift: signs may need it to be typed.

    In a layout of other letters the key counts that lies where the Latin one does.
    """
    text = QKeySequence(event.keyCombination()).toString(QKeySequence.SequenceFormat.PortableText)
    letter = text.rpartition("+")[2]
    if len(letter) == 1 and letter.isalpha() and not letter.isascii():
        latin = latin_key(event.nativeScanCode())
        if latin:
            return (text.removesuffix(letter) + latin,)
    return _with_signs(text)


def _with_signs(text: str) -> tuple[str, ...]:
    plain = text.replace("Shift+", "", 1)
    # Shift makes another letter or arrow, but is merely how some signs are typed.
    is_sign = len(plain) == 1 and not plain.isalnum()
    return (text, plain) if is_sign else (text,)
