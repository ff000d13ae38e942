"""Own text with values in it: `Firing today, kiln at {temperature@kiln-room}`."""

from __future__ import annotations

import re
from dataclasses import dataclass

_VALUE = re.compile(r"\{([^{}]*)\}")


@dataclass(frozen=True, slots=True)
class TextPart:
    """A stretch of a text: plain words, or a reference in their place."""

    text: str
    is_reference: bool = False


def text_parts(text: str) -> tuple[TextPart, ...]:
    """A text taken apart; a brace without its other half stands for itself."""
    parts = []
    end = 0
    for found in _VALUE.finditer(text):
        if found.start() > end:
            parts.append(TextPart(text[end : found.start()]))
        parts.append(TextPart(found[1].strip(), is_reference=True))
        end = found.end()
    if end < len(text):
        parts.append(TextPart(text[end:]))
    return tuple(parts)
