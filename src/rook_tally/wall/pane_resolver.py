"""Finds on a site what the panes of a sheet name."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

import msgspec

from rook_tally.core.errors import UsageError
from rook_tally.core.quantities.named_series import Group, slug_of
from rook_tally.core.quantities.number_format import UNKNOWN
from rook_tally.core.wall.definitions import Pane, PaneKind, WallSheet
from rook_tally.core.wall.texts import text_parts
from rook_tally.core.workings.symbols import SymbolTable
from rook_tally.core.workings.syntax import Reference
from rook_tally.store.site import Series, Site, Station
from rook_tally.store.workings import names_of
from rook_tally.wall.texts import tr


class ResolvedPane(msgspec.Struct, frozen=True):
    """A pane with what it shows.

    `shown` are series, and stations among lamps, in order; `texts` are the stretches of a words
    pane, a series in the place of its reference. `trouble` says why something it names is not
    there.
    """

    pane: Pane
    shown: tuple[Series | Station, ...] = ()
    texts: tuple[str | Series, ...] = ()
    trouble: str = ""

    @property
    def series(self) -> tuple[Series, ...]:
        """The series among what it shows."""
        texts = tuple(one for one in self.texts if isinstance(one, Series))
        return (*(one for one in self.shown if isinstance(one, Series)), *texts)


def resolved(sheet: WallSheet, site: Site, in_groups: Sequence[Group]) -> tuple[ResolvedPane, ...]:
    """The panes of a sheet with what they show, in their order."""
    finder = _Finder(site, names_of(site, in_groups))
    return tuple(finder.pane(one) for one in sheet.panes)


class _Finder:
    def __init__(self, site: Site, names: SymbolTable) -> None:
        self._site = site
        self._names = names
        self._by_id = {one.id: one for one in site.series}

    def pane(self, pane: Pane) -> ResolvedPane:
        """A pane; what cannot be found is left out and said."""
        troubles: list[str] = []
        shown: list[Series | Station] = []
        for reference in pane.shows:
            try:
                shown += self._meant(reference, pane.kind)
            except UsageError as error:
                troubles.append(str(error))
        if pane.kind.needs_series and not pane.shows:
            troubles.append(tr("it shows nothing yet: pick a series"))
        if pane.kind in (PaneKind.COLUMNS, PaneKind.RIBBON):
            shown = list(self._of_one_unit(shown, troubles))
        if not pane.kind.takes_several and pane.kind is not PaneKind.STANDING:
            shown = shown[:1]
        texts = tuple(self._texts(pane, troubles)) if pane.kind is PaneKind.WORDS else ()
        return ResolvedPane(pane, tuple(shown), texts, "; ".join(troubles))

    def _texts(self, pane: Pane, troubles: list[str]) -> Iterator[str | Series]:
        for part in text_parts(pane.text):
            if not part.is_reference:
                yield part.text
                continue
            try:
                found = [
                    one for one in self._meant(part.text, pane.kind) if isinstance(one, Series)
                ]
            except UsageError as error:
                troubles.append(str(error))
                found = []
            yield found[0] if found else UNKNOWN

    def _of_one_unit(self, shown: list[Series | Station], troubles: list[str]) -> Iterator[Series]:
        """Those that can stand on one axis: what the first is measured in decides."""
        first: Series | None = None
        for one in shown:
            if not isinstance(one, Series):
                continue
            first = first or one
            if one.quantity.base.dimension == first.quantity.base.dimension:
                yield one
            else:
                troubles.append(
                    tr("{0} has another unit: give it a pane of its own", one.quantity.name)
                )

    def _meant(self, text: str, kind: PaneKind) -> Iterator[Series | Station]:
        if text.startswith("@"):
            yield self._station(text[1:], kind)
            return
        reference = reference_of_text(text)
        if reference.is_group:
            found = self._names.several(reference)
            if not found:
                raise UsageError(tr("nothing there tells {0}", reference.quantity))
        else:
            self._names.quantity(reference)
            one = self._names.one(reference)
            if one is None:
                raise UsageError(
                    tr("nothing tells {0} at {1}", reference.quantity, reference.place)
                )
            found = [one]
        told = [self._by_id[one.id] for one in found if one.id in self._by_id]
        if kind is PaneKind.COLUMNS:
            # A column is a place: one station speaks for it.
            told = list({one.station.place.id: one for one in reversed(told)}.values())[::-1]
        yield from told

    def _station(self, key: str, kind: PaneKind) -> Station:
        found = self._site.station(key)
        if found is None:
            known = ", ".join(one.key for one in self._site.stations[:6])
            raise UsageError(tr("there is no station {0}; there are {1}", key, known or "–"))
        if kind is not PaneKind.LAMPS:
            raise UsageError(tr("a station can only be a lamp"))
        return found


def reference_of_text(text: str) -> Reference:
    """A reference as formulas write it.

    Raises
    ------
    UsageError
        When it is anything else.
    """
    # Loaded late: whoever opens a window need not know the language.
    from rook_tally.core.workings.parsing import parsed

    part = parsed(text)
    if not isinstance(part, Reference):
        raise UsageError(tr("{0} names no series; write it as temperature@kiln-room", text))
    return part


def pane_reference(shown: Series | Station, site: Site) -> str:
    """How a pane refers to a series, or to a station among lamps."""
    return f"@{shown.key}" if isinstance(shown, Station) else reference_to(shown, site)


def reference_to(one: Series, site: Site) -> str:
    """The reference of a series on a sheet: as short as it is clear."""
    there = [
        other
        for other in site.series
        if other.quantity.slug == one.quantity.slug
        and slug_of(other.station.place.name) == slug_of(one.station.place.name)
    ]
    told = f"{one.quantity.slug}@{slug_of(one.station.place.name)}"
    if len(there) == 1:
        return told
    told += f"/{one.station.key}"
    alike = [other for other in there if other.station.id == one.station.id]
    return told if len(alike) == 1 else f"{told}/{one.field}"
