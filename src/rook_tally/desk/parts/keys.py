"""Pressed keys as they are written in a view's actions."""

from __future__ import annotations

from PySide6.QtGui import QKeyEvent, QKeySequence


def keys_of(event: QKeyEvent) -> tuple[str, ...]:
    """A pressed key as Qt writes it, with and without Shift: signs may need it to be typed."""
    text = QKeySequence(event.keyCombination()).toString(QKeySequence.SequenceFormat.PortableText)
    plain = text.replace("Shift+", "", 1)
    # Shift makes another letter or arrow, but is merely how some signs are typed.
    is_sign = len(plain) == 1 and not plain.isalnum()
    return (text, plain) if is_sign else (text,)
