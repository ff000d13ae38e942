"""A sheet arranged by a person: panes added, moved, sized, altered; sheets made and ordered."""

from __future__ import annotations

from msgspec.structs import replace

from rook_tally.core.quantities.named_series import EVERYWHERE, slug_of
from rook_tally.core.wall.definitions import Pane, PaneKind, WallSheet
from rook_tally.core.wall.tiling import (
    WHOLE,
    Area,
    Side,
    neighbour,
    with_edge_moved,
    with_moved,
    with_split,
    with_swapped,
    without,
)
from rook_tally.desk.wall.commands import OrderSheets, RemoveSheet
from rook_tally.desk.wall.model import WallModel
from rook_tally.desk.wall.texts import tr
from rook_tally.store.site import Series, Station
from rook_tally.wall.pane_resolver import pane_reference
from rook_tally.wall.suggestions import what_matters_now

_AGAINST = {Side.LEFT: Side.RIGHT, Side.RIGHT: Side.LEFT, Side.UP: Side.DOWN, Side.DOWN: Side.UP}


class SheetEditor:
    """Alters the sheet a `WallModel` has in hand; every step is kept, and can be undone."""

    def __init__(self, model: WallModel) -> None:
        self._model = model

    def keep_areas(self, areas: tuple[Area, ...] | None, words: str) -> None:
        """Have the panes stand so; None is what there is no room for."""
        model = self._model
        if areas is None:
            model.refuse(tr("There is no room for another pane here; make this one larger."))
        elif model.sheet is not None:
            model.keep(model.sheet.with_areas(areas), words)

    @property
    def _areas(self) -> tuple[Area, ...]:
        sheet = self._model.sheet
        return () if sheet is None else sheet.areas

    def move_edge(self, side: Side, by: int) -> None:
        """Move the picked pane's side outwards by so many cells; at the sheet's edge the other."""
        areas, picked = self._areas, self._model.picked
        if not areas:
            return
        moved = with_edge_moved(areas, picked, side, by)
        if moved == areas:
            moved = with_edge_moved(areas, picked, _AGAINST[side], -by)
        if moved != areas:
            self.keep_areas(moved, tr("pane resized"))

    def move_pane(self, side: Side) -> None:
        """Let the picked pane change places with the one beyond a side."""
        areas, picked = self._areas, self._model.picked
        other = neighbour(areas, picked, side) if areas else None
        if other is not None:
            self.keep_areas(with_swapped(areas, picked, other), tr("pane moved"))

    def drop_pane(self, at: int, target: int, side: Side | None) -> None:
        """Let a pane change places with another, or stand on a side of it."""
        if at == target:
            return
        if side is None:
            areas: tuple[Area, ...] | None = with_swapped(self._areas, at, target)
        else:
            areas = with_moved(self._areas, at, target, side)
        self.keep_areas(areas, tr("pane moved"))

    def add_pane(self, pane: Pane) -> None:
        """Set a new pane beside the picked one, along its longer side."""
        model, words = self._model, tr("pane added")
        sheet = model.sheet
        if sheet is None:
            return
        if not sheet.panes:
            model.keep(sheet.with_panes((pane.placed(WHOLE),)), words)
            return
        area = sheet.areas[model.picked]
        # A cell of the grid is about as wide on a screen as it is tall.
        ways = [Side.RIGHT, Side.DOWN] if area.wide >= area.tall else [Side.DOWN, Side.RIGHT]
        for side in ways:
            areas = with_split(sheet.areas, model.picked, side)
            if areas is not None:
                model.picked = len(areas) - 1
                model.keep(sheet.with_panes((*sheet.panes, pane)).with_areas(areas), words)
                return
        self.keep_areas(None, words)

    def remove_pane(self) -> None:
        """Take the picked pane away; its neighbours take its room."""
        model = self._model
        if model.sheet is None or not model.sheet.panes:
            return
        panes = tuple(one for at, one in enumerate(model.sheet.panes) if at != model.picked)
        areas = without(model.sheet.areas, model.picked)
        model.keep(model.sheet.with_panes(panes).with_areas(areas), tr("pane deleted"))

    def alter_pane(self, **values: object) -> None:
        """Have the picked pane otherwise: values by the names of its attributes."""
        model = self._model
        if model.sheet is None or model.pane is None:
            return
        self._replace_pane(replace(model.pane, **values))

    def write_words(self, slug: str, at: int, text: str) -> None:
        """Have a pane of a sheet say these words, whatever is in hand by now."""
        model = self._model
        sheet = next((one for one in model.sheets if one.slug == slug), None)
        if sheet is None or at >= len(sheet.panes) or sheet.panes[at].text == text:
            return
        panes = list(sheet.panes)
        panes[at] = replace(panes[at], text=text)
        model.keep(sheet.with_panes(tuple(panes)), tr("pane changed"))

    def show_pane_in(self, symbol: str) -> None:
        """Have the picked pane in another unit; its own numbers mean what they meant."""
        model = self._model
        pane, before, series = model.pane, model.kept_unit, model.picked_series
        if pane is None or before is None:
            return
        after = (series[0].quantity.unit(symbol) if symbol else None) or series[0].quantity.base
        made = pane.with_numbers(lambda x: round(float(after.from_base(before.to_base(x))), 9))
        self._replace_pane(replace(made, unit=symbol))

    def _replace_pane(self, made: Pane) -> None:
        model = self._model
        if model.sheet is not None and made != model.pane:
            panes = list(model.sheet.panes)
            panes[model.picked] = made
            model.keep(model.sheet.with_panes(tuple(panes)), tr("pane changed"))

    def pane_of(self, kind: PaneKind, shown: Series | Station | None) -> Pane:
        """A pane of a kind that shows a series or a station, at no place yet."""
        if shown is None:
            shows: tuple[str, ...] = ()
        elif kind is PaneKind.COLUMNS and isinstance(shown, Series):
            # Places that come later stand beside the others then.
            shows = (f"{shown.quantity.slug}@{EVERYWHERE}/*",)
        else:
            shows = (pane_reference(shown, self._model.state.site),)
        return Pane(kind=kind, at=WHOLE[:2], size=WHOLE[2:], shows=shows)

    # Sheets altered

    def add_sheet(self, name: str, *, is_of_what_matters: bool) -> None:
        """A new sheet, empty or of what matters now."""
        name, slug = self._free_name(name)
        if is_of_what_matters:
            scores = frozenset() if self._model.listing is None else self._model.listing.scores
            sheet = what_matters_now(
                self._model.state.site, dict(self._model.state.latest), scores, name=name, slug=slug
            )
        else:
            sheet = WallSheet(slug=slug, name=name)
        self._model.picked = 0
        self._model.keep(sheet, tr("sheet {0} made", name))

    def copy_sheet(self) -> None:
        """A copy of the sheet in hand."""
        if self._model.sheet is not None:
            name, slug = self._free_name(tr("{0}, copy", self._model.sheet.name))
            self._model.keep(replace(self._model.sheet, name=name, slug=slug), tr("sheet copied"))

    def rename_sheet(self, name: str) -> None:
        """Call the sheet in hand otherwise."""
        if self._model.sheet is None or not name.strip() or name.strip() == self._model.sheet.name:
            return
        before = self._model.sheet.slug
        name, slug = self._free_name(name.strip(), besides=before)
        made = replace(self._model.sheet, name=name, slug=slug)
        self._model.keep(made, tr("sheet called {0}", name), instead_of=before)

    def remove_sheet(self) -> None:
        """Take the sheet in hand away."""
        if self._model.sheet is not None:
            self._model.wish(
                RemoveSheet(self._model.sheet.slug, self._model.base_of(self._model.sheet.slug))
            )

    def move_sheet(self, by: int) -> None:
        """Move the sheet in hand among the others."""
        slugs = [one.slug for one in self._model.sheets]
        if self._model.sheet is None or not slugs:
            return
        at = slugs.index(self._model.sheet.slug)
        to = min(max(at + by, 0), len(slugs) - 1)
        if to != at:
            slugs.insert(to, slugs.pop(at))
            self._model.wish(OrderSheets(tuple(slugs)))

    def turn_or_not(self) -> None:
        """Let the sheet in hand take part when sheets turn, or no longer."""
        if self._model.sheet is not None:
            turns = not self._model.sheet.turns
            words = tr("sheet takes its turn") if turns else tr("sheet takes no turn")
            self._model.keep(replace(self._model.sheet, turns=turns), words)

    def _free_name(self, name: str, besides: str = "") -> tuple[str, str]:
        """A name and its slug that no sheet has, with a number where need be."""
        taken = {one.slug for one in self._model.sheets} - {besides}
        base = slug_of(name) or "sheet"
        slug, number = base, 2
        while slug in taken:
            slug, number = f"{base}-{number}", number + 1
        return (name if slug == base else f"{name} {number - 1}"), slug
