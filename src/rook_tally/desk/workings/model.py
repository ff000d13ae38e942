"""The model of the Workings view: the list, the draft in hand, its result; without Qt."""

from __future__ import annotations

from collections.abc import Callable

from msgspec.structs import replace

from rook_tally.core.quantities.named_series import HERE, Group
from rook_tally.core.workings.completion import Completion, completions
from rook_tally.core.workings.definitions import Placement, Score, ScoreInput, Working
from rook_tally.core.workings.diagnostics import Diagnostic, TextRange
from rook_tally.core.workings.symbols import SymbolTable
from rook_tally.desk.data.draft_in_hand import DraftInHand
from rook_tally.desk.data.drafts import DraftBook, DraftFile
from rook_tally.desk.data.site_state import SiteState
from rook_tally.desk.data.undo import NoSteps, StepSink
from rook_tally.desk.workings.draft_score import DraftScore
from rook_tally.desk.workings.new_items import new_group, new_working, slug_for, variant_of
from rook_tally.desk.workings.queries import (
    FormulaPreview,
    FormulaQuery,
    ScoreQuery,
    WorkingsListing,
    WorkingsQuery,
)
from rook_tally.desk.workings.rows import WorkingKind, WorkingRow, rows_of, uses_in_words
from rook_tally.desk.workings.texts import tr
from rook_tally.store.workings import names_of

_COLUMNS = 970


class WorkingsModel:
    """State of the view. `changed` callbacks are called after every change."""

    def __init__(
        self, state: SiteState, drafts: DraftFile | None = None, steps: StepSink | None = None
    ) -> None:
        self.state = state
        file = DraftFile() if drafts is None else drafts
        steps = NoSteps() if steps is None else steps
        self._working = DraftInHand(DraftBook(file, "workings", Working), steps, self._pick_working)
        self._group = DraftInHand(DraftBook(file, "groups", Group), steps, self._pick_group)
        self.listing: WorkingsListing | None = None
        self.formula: FormulaPreview | None = None
        self.score = DraftScore(state, self._working, self._tell)
        self.place = ""
        self.trouble = ""
        self.changed: list[Callable[[], None]] = []
        self._asked: object = None

    def _tell(self) -> None:
        for one in self.changed:
            one()

    @property
    def picked(self) -> tuple[WorkingKind, str] | None:
        """What of the list is in hand; None for nothing."""
        if self._group.key:
            return WorkingKind.GROUP, self._group.key
        if self._working.key:
            is_score = self.draft is not None and self.draft.score is not None
            return WorkingKind.SCORE if is_score else WorkingKind.FORMULA, self._working.key
        return None

    @property
    def draft(self) -> Working | None:
        """The working in hand."""
        return self._working.draft

    @property
    def kept(self) -> Working | None:
        """The working in hand as it is saved."""
        return self._working.saved

    @property
    def group(self) -> Group | None:
        """The group in hand."""
        return self._group.draft

    @property
    def kept_group(self) -> Group | None:
        """The group in hand as it is saved."""
        return self._group.saved

    @property
    def drafts(self) -> DraftBook[Working]:
        """Workings that are not saved."""
        return self._working.book

    @property
    def group_drafts(self) -> DraftBook[Group]:
        """Groups that are not saved."""
        return self._group.book

    @property
    def notice(self) -> str:
        """Who else changed the one in hand, and to what."""
        return self._working.notice or self._group.notice

    # What there is

    def listing_question(self) -> WorkingsQuery:
        """Asks what there is."""
        return WorkingsQuery(self.state.now_us, self.listing)

    def take_listing(self, listing: WorkingsListing) -> None:
        """Take the workings and groups there are. What was not touched follows what is saved; a
        draft lies on top of what somebody else saved meanwhile, and that is said."""
        self.listing = listing
        self.score.series = listing.series
        was_picked = self.picked is not None
        if self.kept is not None:
            slug = self.kept.slug
            self._working.follow(next((one for one in listing.workings if one.slug == slug), None))
        elif self.kept_group is not None:
            name = self.kept_group.name
            self._group.follow(next((one for one in listing.groups if one.name == name), None))
        if was_picked and self.picked is None:
            self._forget_shown()
        self._tell()

    def take_own(self, saved: Working | Group) -> None:
        """Take what a step of this window's own has put so: the step before it is to find it, and
        nobody else did it."""
        if self.listing is None:
            return
        if isinstance(saved, Group):
            groups = tuple(saved if one.name == saved.name else one for one in self.listing.groups)
            self.take_listing(replace(self.listing, groups=groups))
        else:
            workings = tuple(
                saved if one.slug == saved.slug else one for one in self.listing.workings
            )
            self.take_listing(replace(self.listing, workings=workings))
        self._working.notice = self._group.notice = ""
        self._tell()

    def rows(self) -> list[WorkingRow]:
        """The list, scores first, then formulas, then groups."""
        if self.listing is None:
            return []
        rows = rows_of(self.listing, self.state)
        unsaved = {*((one.sort, one.key) for one in rows if self._book(one.sort).get(one.key))}
        rows = [
            replace(one, where=tr("{0} · not saved", one.where))
            if (one.sort, one.key) in unsaved
            else one
            for one in rows
        ]
        for key in self.drafts.new_keys:
            working = self.drafts.get(key)
            if working is not None:
                score = working.value.score is not None
                sort = WorkingKind.SCORE if score else WorkingKind.FORMULA
                rows.append(WorkingRow(sort, key, working.value.name, tr("not saved"), ""))
        for key in self.group_drafts.new_keys:
            group = self.group_drafts.get(key)
            if group is not None:
                name = group.value.name
                rows.append(WorkingRow(WorkingKind.GROUP, key, name, tr("not saved"), ""))
        order = list(WorkingKind)
        return sorted(rows, key=lambda one: order.index(one.sort))

    def _book(self, sort: WorkingKind) -> DraftBook[Working] | DraftBook[Group]:
        return self.group_drafts if sort is WorkingKind.GROUP else self.drafts

    @property
    def uses(self) -> str:
        """Where the picked working is used, in words."""
        if self.listing is None or self.kept is None:
            return ""
        return uses_in_words(self.listing, self.kept)

    # Picking and drafting

    def pick(self, what: tuple[WorkingKind, str] | None) -> None:
        """Take something of the list in hand; None for nothing."""
        self._let_go()
        if what is not None and self.listing is not None:
            sort, key = what
            if sort is WorkingKind.GROUP:
                groups = self.listing.groups
                self._group.take(key, next((one for one in groups if one.name == key), None))
            else:
                workings = self.listing.workings
                self._working.take(key, next((one for one in workings if one.slug == key), None))
        if self.is_altered and self.listing is not None:
            # Somebody else may have saved it while another one was in hand.
            self.take_listing(self.listing)
        else:
            self._tell()

    def _pick_working(self, key: str) -> None:
        """Pick a working again, for a step that is about it."""
        # Either kind of working is found by its key.
        self.pick((WorkingKind.FORMULA, key) if key else None)

    def _pick_group(self, key: str) -> None:
        self.pick((WorkingKind.GROUP, key) if key else None)

    def _let_go(self) -> None:
        self._forget_shown()
        self._working.let_go()
        self._group.let_go()

    def _forget_shown(self) -> None:
        self.formula = self._asked = None
        self.trouble, self.place = "", ""
        self.score.forget()

    def begin(self, sort: WorkingKind) -> None:
        """Begin something new."""
        self._let_go()
        if sort is WorkingKind.GROUP:
            self._group.begin(new_group(self._names_taken()))
        else:
            self._working.begin(new_working(sort, self._names_taken()))
        self._tell()

    def begin_variant(self) -> None:
        """Begin another way of adding up what the picked score does."""
        base = self.draft
        if base is None or base.score is None:
            return
        self._let_go()
        self._working.begin(variant_of(base, base.score, self._names_taken()))
        self._tell()

    def _names_taken(self) -> set[str]:
        listing = self.listing
        if listing is None:
            return set()
        return {one.title for one in self.rows()}

    @property
    def is_new(self) -> bool:
        """True if the draft was never kept."""
        return self.draft is not None and self.kept is None

    @property
    def is_altered(self) -> bool:
        """True if there is something to keep."""
        return self._working.is_altered or self._group.is_altered

    def alter(self, **values: object) -> None:
        """Change the draft."""
        before = self.draft
        assert before is not None
        if "name" in values and self.kept is None:
            values["slug"] = slug_for(str(values["name"]))
        after = replace(before, **values)
        words = tr("{0} changed", after.name)
        self._working.alter(after, words, tuple(values), self._hold_working)

    def _hold_working(self, working: Working) -> None:
        self._working.hold(working)
        self.trouble = ""
        self._tell()

    def _hold_group(self, group: Group) -> None:
        self._group.hold(group)
        self.trouble = ""
        self._tell()

    def discard(self) -> None:
        """Drop what is not saved of what is in hand; it can be taken back."""
        if self.group is None:
            self._working.discard()
        else:
            self._group.discard()

    def alter_score(self, **values: object) -> None:
        """Change the draft's score."""
        assert self.draft is not None
        assert self.draft.score is not None
        self.alter(score=replace(self.draft.score, **values))

    def alter_input(self, at: int, **values: object) -> None:
        """Change an input of the draft's score."""
        score = self._score()
        changed = replace(score.inputs[at], **values)
        self.alter_score(inputs=(*score.inputs[:at], changed, *score.inputs[at + 1 :]))

    def add_input(self) -> None:
        """Let the score have another input."""
        score = self._score()
        fresh = ScoreInput(
            name=tr("Temperature"),
            formula=f"temperature@{HERE}",
            weight=10,
            points=((10, 0), (19, 100), (24, 100), (32, 0)),
        )
        self.alter_score(inputs=(*score.inputs, fresh))

    def remove_input(self, at: int) -> None:
        """Take an input out of the score."""
        inputs = self._score().inputs
        if len(inputs) > 1:
            self.alter_score(inputs=(*inputs[:at], *inputs[at + 1 :]))

    def _score(self) -> Score:
        assert self.draft is not None
        assert self.draft.score is not None
        return self.draft.score

    def alter_group(self, group: Group) -> None:
        """Change the group in hand."""
        before = self.group
        if before is not None:
            # Typing a name is one step; a place taken in or out is one each.
            merge = "name" if group.name != before.name else None
            words = tr("group {0} changed", group.name)
            self._group.alter(group, words, merge, self._hold_group)

    def show_place(self, place: str) -> None:
        """Show the draft at another of its places."""
        self.place = place
        self.score.end_trial()
        self._tell()

    def took(self, key: str, sent: Working, saved: Working) -> None:
        """What was sent under a key was saved; what was changed since stays a draft."""
        if key:
            self._working.took(key, sent, saved, saved.slug)
        else:
            # Something ready-made: nothing else was in hand.
            self._working.take(saved.slug, saved)
        self._tell()

    def took_group(self, key: str, sent: Group, saved: Group) -> None:
        """As `took`, of a group."""
        self._group.took(key, sent, saved, saved.name)
        self._tell()

    def refused(self, why: str) -> None:
        """The draft could not be kept."""
        self.trouble = why
        self._tell()

    # What the draft comes to

    @property
    def names(self) -> SymbolTable:
        """The names that formulas may refer to."""
        listing = self.listing
        here = (
            self.place or "here" if self.draft and self.draft.made is Placement.EACH_PLACE else None
        )
        return names_of(self.state.site, () if listing is None else listing.groups, here)

    def completions(self, text: str, cursor: int) -> list[Completion]:
        """Completions at the cursor."""
        return completions(text, cursor, self.names)

    def draft_question(self) -> FormulaQuery | ScoreQuery | None:
        """The query for the draft; None when its result is known or asked for."""
        draft = self.draft
        if draft is None or self.listing is None:
            return None
        window = self.state.window
        instead_of = draft.slug if self.kept is None else self.kept.slug
        question: FormulaQuery | ScoreQuery
        if draft.score is None:
            question = FormulaQuery(
                draft, instead_of, self.place, window.start_us, window.end_us, _COLUMNS
            )
        else:
            question = ScoreQuery(
                draft, self.variants(), instead_of, self.place, window.start_us, window.end_us
            )
        if question == self._asked:
            return None
        self._asked = question
        return question

    def variants(self) -> tuple[Working, ...]:
        """The other ways of adding up the same."""
        if self.draft is None or self.draft.score is None or self.listing is None:
            return ()
        family = self.draft.score.variant_of or self.draft.slug
        ours = {self.draft.slug} | ({self.kept.slug} if self.kept else set())
        return tuple(
            one
            for one in self.listing.workings
            if one.score is not None
            and one.slug not in ours
            and family in (one.slug, one.score.variant_of)
        )

    @property
    def is_answered(self) -> bool:
        """True if the draft in hand is the one that is shown."""
        asked = self._asked
        if asked is None:
            return self.draft is None
        if isinstance(asked, FormulaQuery):
            return self.formula is not None and self.formula.formula == asked.working.formula
        return self.score.preview is not None

    def take_formula(self, preview: FormulaPreview) -> None:
        """Take a formula's result."""
        if self.draft is not None and self.draft.score is None:
            self.formula = preview
            self._tell()

    @property
    def mistake(self) -> Diagnostic | None:
        """The error of the formula in hand, if it is the one that was checked."""
        if self.trouble or self.notice:
            words = " ".join(one for one in (self.notice, self.trouble) if one)
            return Diagnostic(TextRange(0, 0), words)
        preview = self.formula
        if preview is None or self.draft is None or preview.formula != self.draft.formula:
            return None
        return preview.mistake

    def result_words(self) -> str:
        """The formula's result in words."""
        preview = self.formula
        if preview is None or preview.shown is None:
            return ""
        shown = preview.shown
        unit = shown.symbol or (
            tr("a yes or no") if shown.quantity.scale.value == "state" else tr("a plain number")
        )
        told = tr("Gives {0} at {1}.", unit, ", ".join(preview.places))
        notes = " ".join(f"{note.what[:1].upper()}{note.what[1:]}." for note in preview.notes)
        return f"{told} {notes}".strip()
