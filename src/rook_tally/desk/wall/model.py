"""The model of the Wall: sheets, the one in hand, views of its panes, trials; without Qt."""

from __future__ import annotations

from collections.abc import Callable, Iterable

from msgspec.structs import replace as with_other

from rook_tally.core.errors import UsageError
from rook_tally.core.quantities.guidelines import Guideline
from rook_tally.core.quantities.levels import Level
from rook_tally.core.quantities.number_input import typed_number
from rook_tally.core.quantities.unit import Unit
from rook_tally.core.timestamps import SECOND_US
from rook_tally.core.wall.definitions import Pane, PaneKind, WallSheet
from rook_tally.core.wall.tiling import WHOLE, Area, Side, neighbour
from rook_tally.desk.data.conflict import UNCHECKED, Unchecked
from rook_tally.desk.data.site_state import SiteState
from rook_tally.desk.data.store_client import Command
from rook_tally.desk.data.undo import UndoableResult
from rook_tally.desk.wall.commands import NewLink, SaveSheet
from rook_tally.desk.wall.queries import SheetListing, WallMaterial, WallQuery
from rook_tally.desk.wall.texts import tr
from rook_tally.store.site import Series
from rook_tally.wall.pane_context import PaneContext
from rook_tally.wall.pane_data import PaneData
from rook_tally.wall.pane_parts import face_of, faces_of
from rook_tally.wall.pane_views import PaneView

_SCORES_AGAIN_US = 2 * SECOND_US


class WallModel:
    """The Wall over a `SiteState`.

    `laid_out` callbacks run when there is another sheet or its panes stand otherwise,
    `faces_changed` with the numbers of panes that say something else, `wished` with changes of the
    store that a person wants.
    """

    def __init__(self, state: SiteState) -> None:
        self.state = state
        self.listing: SheetListing | None = None
        self.sheet: WallSheet | None = None
        self.picked = 0
        self.faces: tuple[PaneView, ...] = ()
        self.trouble = ""
        # The link made last: shown once, until whoever asked for it closes it.
        self.link: NewLink | None = None
        self.laid_out: list[Callable[[], None]] = []
        self.faces_changed: list[Callable[[set[int]], None]] = []
        self.wished: list[Callable[[Command[UndoableResult]], None]] = []
        self._material: PaneData | None = None
        self._series_of: dict[str, frozenset[int]] = {}
        self._resolved: dict[tuple[str, ...], tuple[Series, ...]] = {}
        self._asked: WallQuery | None = None
        self._is_due = False
        self._under_way = 0
        # Sheets as they will stand in the store once all that was wished for is done, by slug.
        self._bases: dict[str, WallSheet] = {}

    def base_of(self, slug: str) -> WallSheet | Unchecked:
        """A sheet as this window knows it to stand in the store."""
        return self._bases.get(slug, UNCHECKED)

    # Which sheets there are, and the one in hand

    @property
    def sheets(self) -> tuple[WallSheet, ...]:
        """All sheets, the one in hand as it is here."""
        known = () if self.listing is None else self.listing.sheets
        mine = self.sheet
        if mine is None:
            return known
        return tuple(mine if one.slug == mine.slug else one for one in known)

    @property
    def guidelines(self) -> tuple[Guideline, ...]:
        """Return the guidelines that columns can be held against."""
        return () if self.listing is None else self.listing.guidelines

    def take_listing(self, listing: SheetListing) -> None:
        """Take the sheets there are; the one in hand follows what is saved."""
        self.listing = listing
        if self._under_way:
            return
        self._bases = {one.slug: one for one in listing.sheets}
        mine = self.sheet
        kept = next((one for one in listing.sheets if mine and one.slug == mine.slug), None)
        if kept is None:
            kept = listing.sheets[0] if listing.sheets else None
        if kept != mine:
            self._hold(kept)
        else:
            self._tell_laid_out()

    def show(self, slug: str) -> None:
        """Turn to a sheet."""
        found = next((one for one in self.sheets if one.slug == slug), None)
        if found is not None and found != self.sheet:
            self.picked = 0
            self._hold(found)

    def show_beside(self, by: int) -> None:
        """Turn so many sheets on, around the end."""
        slugs = [one.slug for one in self.sheets]
        if self.sheet is not None and slugs:
            self.show(slugs[(slugs.index(self.sheet.slug) + by) % len(slugs)])

    def _hold(self, sheet: WallSheet | None) -> None:
        """Take a sheet in hand. What was read of it goes on where only places are others."""
        before, self.sheet = self.sheet, sheet
        self.trouble = ""
        panes = () if sheet is None else sheet.panes
        self.picked = max(0, min(self.picked, len(panes) - 1))
        material = self._material
        same = (
            material is not None
            and sheet is not None
            and before is not None
            and before.slug == sheet.slug
            and [_without_place(one.pane) for one in material.panes]
            == [_without_place(one) for one in panes]
        )
        if same and material is not None:
            material.panes = tuple(
                with_other(one, pane=pane) for one, pane in zip(material.panes, panes, strict=True)
            )
        else:
            self._material, self.faces = None, ()
            self._is_due = sheet is not None
        self._tell_laid_out()

    def _tell_laid_out(self) -> None:
        for one in self.laid_out:
            one()

    # What its panes show

    def question(self) -> WallQuery | None:
        """The query for the panes' data; None while what is known will do."""
        if self.sheet is None or not self.state.is_loaded:
            return None
        now_us = self.state.now_us
        material = self._material
        if material is not None and material.is_outdated(now_us):
            self._is_due = True
        if not self._is_due:
            return None
        self._is_due = False
        others = tuple(one for one in self.sheets if one.slug != self.sheet.slug)
        self._asked = WallQuery(self.sheet, others, now_us)
        return self._asked

    def take_material(self, answer: WallMaterial) -> None:
        """Take the panes' data; dropped when another sheet is in hand meanwhile."""
        if self.sheet is None or answer.sheet != self.sheet:
            self._is_due = self.sheet is not None
            return
        self._material, self._series_of = answer.material, answer.series_of
        self._resolved |= {one.pane.shows: one.series for one in answer.material.panes}
        self._hear(answer.material.series_ids)
        self._make_faces()

    @property
    def is_up_to_date(self) -> bool:
        """True if what is shown is the sheet in hand as it is."""
        if self.listing is None or self._under_way:
            return False
        return self.sheet is None or (self._material is not None and not self._is_due)

    def series_of(self, slug: str) -> frozenset[int]:
        """Series that a sheet shows."""
        return self._series_of.get(slug, frozenset())

    def has_alarm(self, slug: str) -> bool:
        """True if something stands of a sheet that calls for somebody."""
        mine = self.series_of(slug)
        return any(one.series_id in mine and one.state.is_calling for one in self.state.alarms)

    def on_changed(self, changed: set[int] | None) -> None:
        """The site has news: of these series, or of anything."""
        if changed is None:
            self._is_due = True
        material = self._material
        if material is None:
            return
        if changed is None:
            self._make_faces()
            return
        touched = changed & material.series_ids
        if self.state.window.is_live:
            self._hear(touched)
        scores = {
            one.id
            for pane in material.panes
            if pane.pane.kind is PaneKind.SCORE
            for one in pane.series
        }
        if touched & scores and self.state.now_us - material.at_us > _SCORES_AGAIN_US:
            self._is_due = True
        self._make_faces(touched)

    def _hear(self, several: Iterable[int]) -> None:
        """Count the newest readings of some series in."""
        for series_id in several:
            reading = self.state.shown.latest.get(series_id)
            if self._material is not None and reading is not None:
                self._material.hear(reading)

    def tick(self) -> None:
        """Time went on: ages grow."""
        if self._material is not None:
            self._make_faces()

    def known(self) -> PaneContext | None:
        """The context that pane views are made from; None before it was read."""
        if self._material is None:
            return None
        return PaneContext(self.state.snapshot, self._material, set(self.state.trial))

    def _make_faces(self, touched: set[int] | None = None) -> None:
        """Make faces anew: of panes that these series concern, or of all."""
        known, material = self.known(), self._material
        if known is None or material is None:
            return
        before = self.faces
        if len(before) != len(material.panes):
            self.faces = faces_of(material.panes, known)
            self._tell_laid_out()
            return
        made = list(before)
        for at, pane in enumerate(material.panes):
            if touched is not None and not self._concerns(before[at], touched):
                continue
            made[at] = face_of(pane, known)
        self.faces = tuple(made)
        moved = {at for at, face in enumerate(made) if face != before[at]}
        if moved:
            for one in self.faces_changed:
                one(moved)

    def _concerns(self, face: PaneView, touched: set[int]) -> bool:
        """Scores rest on more than they show, and what stands comes with its own news."""
        if face.kind is PaneKind.STANDING:
            return True
        rests = set(face.series_ids)
        if face.kind is PaneKind.SCORE and self._material is not None:
            losses = self._material.losses
            rests |= {
                loss.series_id or 0 for one in face.series_ids for loss in losses.get(one, ())
            }
        return bool(rests & touched)

    @property
    def pane(self) -> Pane | None:
        """The picked pane."""
        if self.sheet is None or not self.sheet.panes:
            return None
        return self.sheet.panes[self.picked]

    @property
    def picked_series(self) -> tuple[Series, ...]:
        """Series of the picked pane; as they were last known while it is read anew."""
        return () if self.pane is None else self._resolved.get(self.pane.shows, ())

    @property
    def kept_unit(self) -> Unit | None:
        """The unit in which the picked pane's own numbers are kept; None for a pane of no
        quantity."""
        series, pane = self.picked_series, self.pane
        if not series or pane is None:
            return None
        own = series[0].quantity.unit(pane.unit) if pane.unit else None
        return own or series[0].quantity.base

    @property
    def typed_unit(self) -> Unit | None:
        """The unit in which they are shown and typed: the pane's own, else the one that its
        quantity is shown in everywhere."""
        series, pane = self.picked_series, self.pane
        if not series or pane is None:
            return None
        own = series[0].quantity.unit(pane.unit) if pane.unit else None
        return own or series[0].shown.unit

    def pick(self, at: int) -> None:
        """Pick a pane."""
        if self.sheet is not None and 0 <= at < len(self.sheet.panes) and at != self.picked:
            self.picked = at
            self._tell_laid_out()

    def pick_beside(self, side: Side) -> None:
        """Pick the pane beyond a side."""
        if self.sheet is not None and self.sheet.panes:
            found = neighbour(self.sheet.areas, self.picked, side)
            if found is not None:
                self.pick(found)

    def preview(self, areas: tuple[Area, ...]) -> None:
        """Let the panes stand so while a hand moves them; nothing is kept."""
        if self.sheet is not None:
            self._hold(self.sheet.with_areas(areas))

    def keep(self, sheet: WallSheet, words: str, *, instead_of: str = "") -> None:
        """Take a sheet in hand as it is now, and have it kept."""
        known = () if self.listing is None else self.listing.sheets
        replaced = instead_of or sheet.slug
        if self.listing is not None:
            if any(one.slug == replaced for one in known):
                known = tuple(sheet if one.slug == replaced else one for one in known)
            else:
                known = (*known, sheet)
            self.listing = with_other(self.listing, sheets=known)
        if self.sheet is None or self.sheet.slug == replaced or replaced not in self._bases:
            self._hold(sheet)
        base = self._bases.pop(replaced, None)
        self._bases[sheet.slug] = sheet
        self.wish(SaveSheet(sheet, instead_of, words, base))

    def wish(self, change: Command[UndoableResult]) -> None:
        """Have the store changed."""
        self._under_way += 1
        for one in self.wished:
            one(change)

    def on_kept(self, error: str, link: NewLink | None) -> None:
        """A wish was carried out, and made a link or none; or it could not be."""
        self._under_way = max(0, self._under_way - 1)
        if link is not None:
            self.link = link
        if error:
            self.refuse(error)

    def refuse(self, why: str) -> None:
        """Say why something was not done."""
        self.trouble = why
        self._tell_laid_out()

    # Trying out

    def try_value(self, text: str) -> str:
        """Show a value, in the unit the pane shows, instead of the real one; says what is wrong."""
        if not self.picked_series:
            return tr("This pane shows no series that could be tried.")
        one = self.picked_series[0]
        pane = self.pane
        unit = one.quantity.unit(pane.unit) if pane is not None and pane.unit else None
        try:
            number = typed_number(text)
        except UsageError as error:
            return str(error)
        base = (unit or one.unit_shown or one.quantity.base).to_base(number)
        return self._try({one.id: base})

    def try_level(self, level: int) -> str:
        """Show the picked pane's series at a level; says when it has no such level."""
        told = {}
        for one in self.picked_series:
            value = one.limits.example(level)
            if value is not None:
                told[one.id] = value
        if not told:
            return tr("What this pane shows has no such level.")
        return self._try(told)

    def try_next_level(self) -> bool:
        """Show the picked pane's series at the level after the one it is tried at, from settled
        on; False past the last."""
        one = next(iter(self.picked_series), None)
        tried = None if one is None else self.state.trial.get(one.id)
        first = 0 if one is None or tried is None else one.limits.level_of(tried) + 1
        return any(not self.try_level(level) for level in range(first, len(Level)))

    def _try(self, values: dict[int, float]) -> str:
        unheard = set(values) - set(self.state.shown.latest)
        if unheard:
            return tr("Nothing was heard of it yet, so there is nothing to try instead.")
        self.state.try_out(self.state.trial | values)
        return ""

    def end_trial(self) -> None:
        """Show what is so."""
        if self.state.trial:
            self.state.try_out({})


def _without_place(pane: Pane) -> Pane:
    return pane.placed(WHOLE)
