"""What a person must see of watches, remarks, alarms and the past: stated without the window.

It knows nothing of how the window works. What was typed is a draft on top of what stood when the
person began; what somebody else saved meanwhile wins over nothing that was typed.
"""

from __future__ import annotations

import itertools
from dataclasses import dataclass, field

from msgspec.structs import replace

from rook_tally.core.alarms.definitions import Watch

_MEMBERS = ("name", "limit", "for_s")


@dataclass
class Typed:
    """A watch as a person has it, and as it stood in the store when they began."""

    watch: Watch
    base: Watch


@dataclass
class Step:
    """Something the person did: to which watch, and what it was before and after. A step that
    dropped what was typed has that in `dropped`."""

    slug: str
    before: Watch
    after: Watch
    is_saved: bool = False
    dropped: Typed | None = None


@dataclass
class Person:
    """A person at one window of a site that others change too."""

    stored: dict[str, Watch]
    typed: dict[str, Typed] = field(default_factory=dict)
    picked: str = ""
    is_past: bool = False
    alarms: set[str] = field(default_factory=set)
    values: list[tuple[int, float]] = field(default_factory=list)
    steps: list[Step] = field(default_factory=list)

    def seen(self) -> Watch:
        """The picked watch as the person must see it."""
        draft = self.typed.get(self.picked)
        return self.stored[self.picked] if draft is None else draft.watch

    def types(self, watch: Watch) -> None:
        """The person changes the picked watch."""
        if watch != self.seen():
            self.steps.append(Step(self.picked, self.seen(), watch))
        self._have(watch)

    def types_name(self, letters: str) -> None:
        """The person types a name letter by letter; blank it is not taken."""
        before = self.seen()
        names = [letters[: at + 1].strip() for at in range(len(letters))]
        told = [before.name, *(one for one in names if one)]
        after = replace(before, name=told[-1])
        if any(one != other for one, other in itertools.pairwise(told)):
            self.steps.append(Step(self.picked, before, after))
        self._have(after)

    def _have(self, watch: Watch) -> None:
        draft = self.typed.get(self.picked)
        base = self.stored[self.picked] if draft is None else draft.base
        if watch == base:
            self.typed.pop(self.picked, None)
        else:
            self.typed[self.picked] = Typed(watch, base)

    def somebody_saves(self, watch: Watch) -> None:
        """Somebody else saves a watch; what is typed here of it stays, on top."""
        slug = watch.slug
        self._store(watch)
        draft = self.typed.get(slug)
        if draft is not None and slug == self.picked:
            self._lay_on_top(slug)

    def picks(self, slug: str) -> None:
        """The person turns to another watch."""
        self.picked = slug
        if slug in self.typed:
            self._lay_on_top(slug)

    def saves_it(self) -> bool:
        """The person saves; True if it was written."""
        draft = self.typed.pop(self.picked, None)
        if draft is None:
            return False
        self.steps.append(Step(self.picked, self.stored[self.picked], draft.watch, is_saved=True))
        self._store(draft.watch)
        return True

    def _store(self, watch: Watch) -> None:
        if replace(watch, name=self.stored[watch.slug].name) != self.stored[watch.slug]:
            # What rang by other terms rings no more; by another name it goes on.
            self.alarms = self.alarms - {watch.slug}
        self.stored[watch.slug] = watch

    def discards(self) -> None:
        """The person drops what was typed."""
        draft = self.typed.pop(self.picked, None)
        if draft is not None:
            self.steps.append(Step(self.picked, draft.watch, draft.base, dropped=draft))

    def undoes(self) -> bool:
        """The person takes the last step back; False if somebody else's change is in the way, and
        then nothing changes."""
        if not self.steps:
            return True
        step = self.steps[-1]
        if step.is_saved and self.stored[step.slug] != step.after:
            return False
        self.steps.pop()
        if step.is_saved:
            self._store(step.before)
            if step.slug in self.typed and step.slug == self.picked:
                self._lay_on_top(step.slug)
            return True
        self.picks(step.slug)
        if step.dropped is not None:
            self.typed[step.slug] = step.dropped
            self._lay_on_top(step.slug)
        else:
            seen = self.seen()
            changed = {
                name: getattr(step.before, name)
                for name in _MEMBERS
                if getattr(step.before, name) != getattr(step.after, name)
            }
            self._have(replace(seen, **changed))
        return True

    def _lay_on_top(self, slug: str) -> None:
        draft, theirs = self.typed[slug], self.stored[slug]
        mine = {
            name: getattr(draft.watch, name)
            for name in _MEMBERS
            if getattr(draft.watch, name) != getattr(draft.base, name)
        }
        laid = replace(theirs, **mine)
        if laid == theirs:
            del self.typed[slug]
        else:
            self.typed[slug] = Typed(laid, theirs)

    def value_at(self, moment_us: int) -> float | None:
        """The newest value that was known at a moment."""
        known = [value for at, value in self.values if at <= moment_us]
        return known[-1] if known else None
