"""Two people at one thing: nothing is written over what somebody else changed meanwhile.

A command that saves a thing bears the thing as it stood when the person began (`base`); one that
takes a step back bears it as that step left it. Where the store says otherwise it is refused with
the difference, and the person decides.
"""

from __future__ import annotations

import enum
from dataclasses import fields, is_dataclass
from typing import TypeVar

import msgspec

from rook_tally.core.errors import RookTallyError
from rook_tally.core.quantities.number_input import number_text
from rook_tally.desk.data.texts import tr

T = TypeVar("T")
_MOST_TOLD = 4
_LONGEST = 40


class Unchecked(enum.Enum):
    """The base of a command that writes whatever stands there."""

    UNCHECKED = "unchecked"


UNCHECKED = Unchecked.UNCHECKED


class ConflictError(RookTallyError):
    """Somebody else changed the thing meanwhile. Nothing was written."""


def check_base(name: str, base: T | Unchecked | None, now: T | None) -> None:
    """Refuse to go on unless a thing stands in the store as it stood when the person began.

    Parameters
    ----------
    base : the thing then; None when there was none
    now : the thing in the store; None when there is none

    Raises
    ------
    ConflictError
        With the difference in words.
    """
    if isinstance(base, Unchecked) or base == now:
        return
    if now is None:
        what = tr("{0} was deleted by somebody else meanwhile", name)
    elif base is None:
        what = tr("there is a {0} already", name)
    else:
        told = "; ".join(differences(base, now))
        what = tr("{0} was changed by somebody else meanwhile ({1})", name, told)
    raise ConflictError(what, kept=tr("nothing was changed"), remedy=tr("look at it as it is now"))


def differences(before: T, after: T) -> list[str]:
    """The members of a thing that changed, a line each, the first few."""
    told = []
    for name in _members(before):
        old, new = getattr(before, name), getattr(after, name, None)
        if old != new:
            told.append(f"{name.replace('_', ' ')}: {_short(old)} → {_short(new)}")
    more = len(told) - _MOST_TOLD
    return [*told[:_MOST_TOLD], *([tr("{0} more", more)] if more > 0 else [])]


def rebased(mine: T, base: T, theirs: T) -> T:
    """Merge two changes of one thing: a member that both changed is as in `mine`."""
    values = {
        name: getattr(mine, name)
        if getattr(mine, name) != getattr(base, name)
        else getattr(theirs, name)
        for name in _members(mine)
    }
    return type(mine)(**values)


def retaken(to: T, since: T, base: T | None, draft: T, now: T | None) -> T:
    """Take one step of typing back, or make it again.

    Parameters
    ----------
    to, since : the thing as it is to be, and as the step that is undone left it
    base : as it stood in the store when the step was made; None for something new
    draft, now : as the person has it, and as it stands in the store, by now

    Returns
    -------
    `draft` with what the step changed put back. What was as in the store then is as in the store
    now: somebody else may have saved it meanwhile.
    """
    if base is not None and now is not None:
        to, since = rebased(to, base, now), rebased(since, base, now)
    return rebased(to, since, draft)


def _members(thing: object) -> tuple[str, ...]:
    if isinstance(thing, msgspec.Struct):
        return thing.__struct_fields__
    if is_dataclass(thing):
        return tuple(one.name for one in fields(thing))
    return ()


def _short(value: object) -> str:
    if isinstance(value, bool) or not isinstance(value, int | float):
        text = "–" if value is None or value == "" else str(value)
    else:
        text = number_text(value)
    return text if len(text) <= _LONGEST else f"{text[: _LONGEST - 1]}…"
