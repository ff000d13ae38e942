"""What people at two windows must see of one site: stated without the windows.

It knows nothing of how a window works. What was typed is a draft on top of what stood when the
person began; what somebody else saved meanwhile wins over nothing that was typed.
"""

from __future__ import annotations

import dataclasses
import enum
import itertools
from dataclasses import dataclass, field
from typing import TypeAlias

import msgspec

from rook_tally.core.alarms.definitions import Watch
from rook_tally.core.quantities.named_series import Group
from rook_tally.core.workings.definitions import Working


class Part(enum.Enum):
    """Where documents are edited."""

    WATCHES = "watches"
    WORKINGS = "workings"


Document: TypeAlias = Watch | Working | Group
Key: TypeAlias = tuple[Part, str]
_MEMBERS = {
    Watch: ("name", "limit", "for_s"),
    Working: ("name", "decimals", "score"),
    Group: ("places",),
}


def altered(document: Document, **members: object) -> Document:
    """The same with other members."""
    if isinstance(document, Group):
        return dataclasses.replace(document, **members)  # type: ignore[arg-type]
    return msgspec.structs.replace(document, **members)


@dataclass
class Typed:
    """A document as a person has it, and as it stood in the store when they began."""

    now: Document
    base: Document


@dataclass
class Step:
    """Something a person did: to which document, what it was before and after, and as it stood in
    the store then. A step that dropped what was typed has that in `dropped`."""

    key: Key
    before: Document
    after: Document
    base: Document
    is_saved: bool = False
    dropped: Typed | None = None


@dataclass
class Named:
    """A person made, or deleted, something that has a name: a remark, a sheet."""

    among: set[str]
    name: str
    is_made: bool


@dataclass
class Turned:
    """A person turned the Ledger's order over."""


@dataclass
class Site:
    """What the store holds."""

    stored: dict[Key, Document] = field(default_factory=dict)
    remarks: set[str] = field(default_factory=set)
    sheets: set[str] = field(default_factory=set)
    alarms: set[str] = field(default_factory=set)
    values: list[tuple[int, float]] = field(default_factory=list)
    has_collector: bool = False
    # When somebody last asked for the control, which nobody here carries out.
    asked_us: int | None = None
    people: list[Person] = field(default_factory=list)

    def save(self, key: Key, document: Document, by: Person | None = None) -> None:
        """Somebody saves a document; everybody else hears of it."""
        part, slug = key
        if part is Part.WATCHES and _terms(document) != _terms(self.stored[key]):
            # What rang by other terms rings no more; by another name it goes on.
            self.alarms.discard(slug)
        self.stored[key] = document
        for one in self.people:
            if one is not by:
                one.hears(key)

    def value_at(self, moment_us: int) -> float | None:
        """The newest value that was known at a moment."""
        known = [value for at, value in self.values if at <= moment_us]
        return known[-1] if known else None


@dataclass
class Person:
    """A person at one window."""

    site: Site
    picked: dict[Part, str]
    typed: dict[Key, Typed] = field(default_factory=dict)
    steps: list[Step | Named | Turned] = field(default_factory=list)
    is_past: bool = False
    # The words of a pin, while its form is open.
    pin: str | None = None
    # The place whose cell is picked in the Ledger; None for whichever the window takes.
    cell: str | None = None
    hidden: set[str] = field(default_factory=set)
    is_worst_first: bool = False
    # How far down the Ledger is scrolled, px.
    scrolled: int = 0

    def in_hand(self, part: Part) -> Key:
        """What is picked in a part."""
        return part, self.picked[part]

    def seen(self, part: Part) -> Document:
        """What is picked, as the person must see it."""
        key = self.in_hand(part)
        draft = self.typed.get(key)
        return self.site.stored[key] if draft is None else draft.now

    def types(self, part: Part, after: Document) -> None:
        """The person changes what is picked."""
        before = self.seen(part)
        if after != before:
            self._add_step(part, before, after)
        self._have(self.in_hand(part), after)

    def _add_step(self, part: Part, before: Document, after: Document) -> None:
        key = self.in_hand(part)
        draft = self.typed.get(key)
        base = self.site.stored[key] if draft is None else draft.base
        self.steps.append(Step(key, before, after, base))

    def types_name(self, part: Part, letters: str) -> None:
        """The person types a name letter by letter; a watch takes none that is blank."""
        before = self.seen(part)
        names = [letters[: at + 1] for at in range(len(letters))]
        if part is Part.WATCHES:
            names = [one.strip() for one in names if one.strip()]
        told = [before.name, *names]
        after = altered(before, name=told[-1])
        if any(one != other for one, other in itertools.pairwise(told)):
            self._add_step(part, before, after)
        self._have(self.in_hand(part), after)

    def _have(self, key: Key, document: Document) -> None:
        draft = self.typed.get(key)
        base = self.site.stored[key] if draft is None else draft.base
        if document == base:
            self.typed.pop(key, None)
        else:
            self.typed[key] = Typed(document, base)

    def hears(self, key: Key) -> None:
        """Somebody else saved a document; what is typed here of it stays, on top."""
        if key in self.typed and key == self.in_hand(key[0]):
            self._lay_on_top(key)

    def picks(self, part: Part, slug: str) -> None:
        """The person turns to another document."""
        self.picked[part] = slug
        if (part, slug) in self.typed:
            self._lay_on_top((part, slug))

    def saves(self, part: Part) -> bool:
        """The person saves; True if something was written."""
        key = self.in_hand(part)
        draft = self.typed.pop(key, None)
        if draft is None:
            return False
        stored = self.site.stored[key]
        self.steps.append(Step(key, stored, draft.now, stored, is_saved=True))
        self.site.save(key, draft.now, self)
        return True

    def discards(self, part: Part) -> None:
        """The person drops what was typed."""
        key = self.in_hand(part)
        draft = self.typed.pop(key, None)
        if draft is not None:
            self.steps.append(Step(key, draft.now, draft.base, draft.base, dropped=draft))

    def makes(self, among: set[str], name: str) -> None:
        """The person makes something that has a name."""
        among.add(name)
        self.steps.append(Named(among, name, is_made=True))

    def deletes(self, among: set[str], name: str) -> None:
        """The person deletes something that has a name."""
        among.discard(name)
        self.steps.append(Named(among, name, is_made=False))

    def turns_order(self) -> None:
        """The person lets the Ledger stand by place, or worst first."""
        self.is_worst_first = not self.is_worst_first
        self.steps.append(Turned())

    def hides(self, place: str) -> None:
        """The person hides a place; which cell is picked then is the window's choice."""
        self.makes(self.hidden, place)
        self.cell = None

    def undoes(self) -> bool:
        """The person takes the last step back; False if somebody else's change is in the way, and
        then nothing changes."""
        if not self.steps:
            return True
        step = self.steps[-1]
        if isinstance(step, Turned):
            self.is_worst_first = not self.is_worst_first
        elif isinstance(step, Named):
            if (step.name in step.among) != step.is_made:
                return False
            (step.among.discard if step.is_made else step.among.add)(step.name)
        elif step.is_saved:
            if self.site.stored[step.key] != step.after:
                return False
            self.site.save(step.key, step.before)
        else:
            self._undo_typing(step)
        self.steps.pop()
        return True

    def _undo_typing(self, step: Step) -> None:
        part, slug = step.key
        self.picks(part, slug)
        if step.dropped is not None:
            self.typed[step.key] = step.dropped
            self._lay_on_top(step.key)
        else:
            # What was as in the store then is as in the store now.
            own = _changed(step.base, step.before)
            stored = self.site.stored[step.key]
            back = {
                name: own.get(name, getattr(stored, name))
                for name in _changed(step.after, step.before)
            }
            self._have(step.key, altered(self.seen(part), **back))

    def _lay_on_top(self, key: Key) -> None:
        draft, theirs = self.typed[key], self.site.stored[key]
        laid = altered(theirs, **_changed(draft.base, draft.now))
        if laid == theirs:
            del self.typed[key]
        else:
            self.typed[key] = Typed(laid, theirs)


def _changed(before: Document, after: Document) -> dict[str, object]:
    return {
        name: getattr(after, name)
        for name in _MEMBERS[type(after)]
        if getattr(before, name) != getattr(after, name)
    }


def _terms(document: Document) -> Document:
    return altered(document, name="")
