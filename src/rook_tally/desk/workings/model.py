"""The model of the Workings view: the list, the draft in hand, its result; without Qt."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import TypeVar

import msgspec
import numpy as np
from msgspec.structs import replace

from rook_tally.core.arrays import FloatArray
from rook_tally.core.formulas.scoring import Composite
from rook_tally.core.moment_words import clock_words, moment_words
from rook_tally.core.quantities.named_series import HERE, Group
from rook_tally.core.quantities.number_format import duration
from rook_tally.core.timestamps import SECOND_US, datetime_from_time_us
from rook_tally.core.workings.completion import Completion, completions
from rook_tally.core.workings.definitions import Placement, Score, ScoreInput, Working
from rook_tally.core.workings.diagnostics import Diagnostic, TextRange
from rook_tally.core.workings.scores import added_up, parted_stretches, parted_us
from rook_tally.core.workings.symbols import SymbolTable
from rook_tally.desk.data.conflict import differences, rebased, retaken
from rook_tally.desk.data.drafts import NEW, DraftBook, DraftFile
from rook_tally.desk.data.site_state import SiteState
from rook_tally.desk.data.undo import LocalStep, NoSteps, StepSink
from rook_tally.desk.workings.new_items import new_group, new_working, slug_for, variant_of
from rook_tally.desk.workings.queries import (
    FormulaPreview,
    FormulaQuery,
    ScorePreview,
    ScoreQuery,
    WorkingsListing,
    WorkingsQuery,
)
from rook_tally.desk.workings.rows import WorkingKind, WorkingRow, rows_of, uses_in_words
from rook_tally.desk.workings.texts import tr
from rook_tally.desk.workings.what_if import WhatIf, WhatIfQuery
from rook_tally.store.workings import names_of

PART_BY = 15.0
"""So many points apart, two ways of adding up disagree."""
_COLUMNS = 970

Thing = TypeVar("Thing", Working, Group)


@dataclass(frozen=True, slots=True)
class WhyPart:
    """Points that an input takes away from a score at a moment."""

    name: str
    loss: float


class WorkingsModel:
    """State of the view. `changed` callbacks are called after every change."""

    def __init__(
        self, state: SiteState, drafts: DraftFile | None = None, steps: StepSink | None = None
    ) -> None:
        self.state = state
        file = DraftFile() if drafts is None else drafts
        self.drafts = DraftBook(file, "workings", Working)
        self.group_drafts = DraftBook(file, "groups", Group)
        self._steps = NoSteps() if steps is None else steps
        self.listing: WorkingsListing | None = None
        self.picked: tuple[WorkingKind, str] | None = None
        self.draft: Working | None = None
        self.kept: Working | None = None
        self.group: Group | None = None
        self.kept_group: Group | None = None
        self.formula: FormulaPreview | None = None
        self.score: ScorePreview | None = None
        self.place = ""
        self.trouble = ""
        # Who else changed the one in hand, and to what.
        self.notice = ""
        self.what_if: list[float] | None = None
        self._tried: dict[int, float] = {}
        self._tried_for: dict[int, float] = {}
        self.cursor = 1.0
        self.changed: list[Callable[[], None]] = []
        self._asked: object = None

    def _tell(self) -> None:
        for one in self.changed:
            one()

    # What there is

    def listing_question(self) -> WorkingsQuery:
        """Asks what there is."""
        return WorkingsQuery(self.state.now_us, self.listing)

    def take_listing(self, listing: WorkingsListing) -> None:
        """Take the workings and groups there are. What was not touched follows what is saved; a
        draft lies on top of what somebody else saved meanwhile, and that is said."""
        self.listing = listing
        if self.draft is not None and self.kept is not None:
            fresh = next((one for one in listing.workings if one.slug == self.kept.slug), None)
            if fresh is None and not self.is_altered:
                self.pick(None)
            elif fresh != self.kept:
                self.draft, self.kept = self._follow(self.draft, self.kept, fresh, self.drafts)
        elif self.group is not None and self.kept_group is not None:
            other = next((one for one in listing.groups if one.name == self.kept_group.name), None)
            if other is None and not self.is_altered:
                self.pick(None)
            elif other != self.kept_group:
                self.group, self.kept_group = self._follow(
                    self.group, self.kept_group, other, self.group_drafts
                )
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
        self.notice = ""
        self._tell()

    def _follow(
        self, draft: Thing, kept: Thing, fresh: Thing | None, book: DraftBook[Thing]
    ) -> tuple[Thing, Thing | None]:
        """A draft and its base after somebody else saved, or deleted, what is in hand."""
        assert self.picked is not None
        sort, key = self.picked
        if fresh is None:
            self.notice = tr("Deleted by somebody else meanwhile; Save brings it back.")
            book.drop(key)
            key = book.free_key()
            self.picked = sort, key
            book.put(key, draft, None)
            return draft, None
        if draft == kept:
            return fresh, fresh
        told = "; ".join(differences(kept, fresh))
        self.notice = tr("Changed by somebody else meanwhile: {0}.", told)
        made = rebased(draft, kept, fresh)
        book.put(key, made, fresh)
        return made, fresh

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
        self.picked = what
        self.formula = self.score = self._asked = None
        self.trouble, self.notice, self.place, self.cursor = "", "", "", 1.0
        self.end_trial()
        self.draft = self.kept = None
        self.group = self.kept_group = None
        if what is not None and self.listing is not None:
            sort, key = what
            if sort is WorkingKind.GROUP:
                found = next((one for one in self.listing.groups if one.name == key), None)
                self.group = self.kept_group = found
                left = self.group_drafts.get(key)
                if left is not None and (found is not None or key.startswith(NEW)):
                    self.group, self.kept_group = left.value, left.base
            else:
                working = next((one for one in self.listing.workings if one.slug == key), None)
                self.draft = self.kept = working
                held = self.drafts.get(key)
                if held is not None and (working is not None or key.startswith(NEW)):
                    self.draft, self.kept = held.value, held.base
        if self.is_altered and self.listing is not None:
            # Somebody else may have saved it while another one was in hand.
            self.take_listing(self.listing)
        else:
            self._tell()

    def begin(self, sort: WorkingKind) -> None:
        """Begin something new."""
        self.pick(None)
        if sort is WorkingKind.GROUP:
            self.group = new_group(self._names_taken())
            self.picked = sort, self.group_drafts.free_key()
        else:
            self.draft = new_working(sort, self._names_taken())
            self.picked = sort, self.drafts.free_key()
        self._note_draft()
        self._tell()

    def begin_variant(self) -> None:
        """Begin another way of adding up what the picked score does."""
        base = self.draft
        if base is None or base.score is None:
            return
        self.pick(None)
        self.draft = variant_of(base, base.score, self._names_taken())
        self.picked = WorkingKind.SCORE, self.drafts.free_key()
        self._note_draft()
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
        return self.draft != self.kept or self.group != self.kept_group

    def alter(self, **values: object) -> None:
        """Change the draft."""
        before = self.draft
        assert before is not None
        if "name" in values and self.kept is None:
            values["slug"] = slug_for(str(values["name"]))
        after = msgspec.structs.replace(before, **values)
        if after == before:
            return
        self._hold(after)
        self._add_step(tr("{0} changed", after.name), before, after, tuple(values))

    def _hold(self, thing: Working | Group) -> None:
        """Have the thing in hand so."""
        if isinstance(thing, Group):
            self.group = thing
        else:
            self.draft = thing
        self.trouble = ""
        self._note_draft()
        self._tell()

    def _add_step(
        self, words: str, before: Working | Group, after: Working | Group, merge: tuple[str, ...]
    ) -> None:
        picked, base, group_base = self.picked, self.kept, self.kept_group

        def put(to: Working | Group, since: Working | Group) -> Callable[[], None]:
            def put_it() -> None:
                if self.picked != picked:
                    self.pick(picked)
                if isinstance(to, Group) and isinstance(since, Group) and self.group is not None:
                    self._hold(retaken(to, since, group_base, self.group, self.kept_group))
                elif (
                    isinstance(to, Working)
                    and isinstance(since, Working)
                    and self.draft is not None
                ):
                    self._hold(retaken(to, since, base, self.draft, self.kept))

            return put_it

        self._steps.add_local(
            LocalStep(words, put(before, after), put(after, before), (picked, merge))
        )

    def _note_draft(self) -> None:
        if self.picked is None:
            return
        if self.group is not None:
            self.group_drafts.put(self.picked[1], self.group, self.kept_group)
        elif self.draft is not None:
            self.drafts.put(self.picked[1], self.draft, self.kept)

    def discard(self) -> None:
        """Drop what is not saved of what is in hand; it can be taken back."""
        picked = self.picked
        if picked is None or not self.is_altered:
            return
        sort, key = picked
        working, group = self.drafts.get(key), self.group_drafts.get(key)
        is_group = sort is WorkingKind.GROUP
        base = (group.base if group else None) if is_group else working.base if working else None
        name = self.group.name if self.group else self.draft.name if self.draft else ""

        def drop() -> None:
            self._book(sort).drop(key)
            if self.picked == picked:
                self.pick(None if base is None else picked)

        def bring_back() -> None:
            if is_group and group is not None:
                self.group_drafts.put(key, group.value, group.base)
            elif working is not None:
                self.drafts.put(key, working.value, working.base)
            self.pick(picked)

        drop()
        self._steps.add_local(LocalStep(tr("changes of {0} discarded", name), bring_back, drop))

    def alter_score(self, **values: object) -> None:
        """Change the draft's score."""
        assert self.draft is not None
        assert self.draft.score is not None
        self.alter(score=msgspec.structs.replace(self.draft.score, **values))

    def alter_input(self, at: int, **values: object) -> None:
        """Change an input of the draft's score."""
        score = self._score()
        changed = msgspec.structs.replace(score.inputs[at], **values)
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
        if before is None or group == before:
            return
        self._hold(group)
        merge = ("name",) if group.name != before.name else ()
        self._add_step(tr("group {0} changed", group.name), before, group, merge)

    def show_place(self, place: str) -> None:
        """Show the draft at another of its places."""
        self.place = place
        self.end_trial()
        self._tell()

    def took(self, key: str, sent: Working, saved: Working) -> None:
        """What was sent under a key was saved; what was changed since stays a draft."""
        sort = WorkingKind.FORMULA if saved.score is None else WorkingKind.SCORE
        if self.draft is None or self.picked is None or self.picked[1] != key:
            self.drafts.saved(key, sent, saved, saved.slug)
            if not key:
                # Something ready-made: nothing else was in hand.
                self.draft = self.kept = saved
                self.picked = sort, saved.slug
        else:
            self.drafts.drop(key)
            self.draft = saved if self.draft == sent else rebased(self.draft, sent, saved)
            self.kept, self.picked, self.notice = saved, (sort, saved.slug), ""
            self._note_draft()
        self._tell()

    def took_group(self, key: str, sent: Group, saved: Group) -> None:
        """As `took`, of a group."""
        if self.group is None or self.picked != (WorkingKind.GROUP, key):
            self.group_drafts.saved(key, sent, saved, saved.name)
        else:
            self.group_drafts.drop(key)
            self.group = saved if self.group == sent else rebased(self.group, sent, saved)
            self.kept_group, self.notice = saved, ""
            self.picked = WorkingKind.GROUP, saved.name
            self._note_draft()
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
        return self.score is not None

    def take_formula(self, preview: FormulaPreview) -> None:
        """Take a formula's result."""
        if self.draft is not None and self.draft.score is None:
            self.formula = preview
            self._tell()

    def take_score(self, preview: ScorePreview) -> None:
        """Take a score's inputs."""
        if self.draft is not None and self.draft.slug == preview.slug:
            self.score = preview
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

    # Scores

    def ways(self) -> list[tuple[str, Composite]]:
        """Every way of adding up with its scores over the window, the draft's first."""
        preview, draft = self.score, self.draft
        if preview is None or draft is None or draft.score is None or not preview.ways:
            return []
        found = []
        for at, one in enumerate(preview.ways):
            working = draft if at == 0 else one.working
            score = working.score
            if score is None or len(score.inputs) != len(one.readings):
                continue
            name = (
                score.way.value if at == 0 or working.name.startswith(draft.name) else working.name
            )
            found.append((name, added_up(score, one.readings)))
        return found

    def parted(self) -> tuple[str, list[tuple[int, int]]]:
        """Where two ways of adding up disagree, in words and as stretches."""
        ways, preview = self.ways(), self.score
        if len(ways) < 2 or preview is None or preview.times is None:
            return "", []
        one, other = ways[0][1].score, ways[1][1].score
        times = preview.times
        length_s = parted_us(times, one, other, by=PART_BY) / SECOND_US
        whole_s = (int(times[-1]) - int(times[0])) / SECOND_US
        words = (
            tr(
                "they differ by more than {0:.0f} points for {1} of {2}",
                PART_BY,
                duration(length_s),
                duration(whole_s),
            )
            if length_s
            else tr("they never differ by more than {0:.0f} points", PART_BY)
        )
        return words, list(parted_stretches(times, one, other, by=PART_BY))

    def moment(self) -> int:
        """The position of the cursor among the moments shown."""
        preview = self.score
        count = 0 if preview is None or preview.times is None else len(preview.times)
        return min(max(0, round(self.cursor * (count - 1))), max(count - 1, 0))

    def when(self) -> str:
        """When it was that the inputs read as they do at the cursor, in words."""
        preview, window = self.score, self.state.window
        if self.what_if is not None:
            return tr("on trial")
        if preview is None or preview.times is None or (window.is_live and self.cursor >= 1.0):
            return tr("now")
        zone = self.state.zone
        moment = datetime_from_time_us(int(preview.times[self.moment()])).astimezone(zone)
        today = datetime_from_time_us(self.state.clock()).astimezone(zone).date()
        return tr(
            "at {0}",
            clock_words(moment) if moment.date() == today else moment_words(moment, weekday=True),
        )

    def readings_at_cursor(self) -> FloatArray | None:
        """The draft's inputs at the cursor, or as they are tried."""
        preview = self.score
        if preview is None or not preview.ways:
            return None
        if self.what_if is not None:
            return np.array(self.what_if)
        return np.asarray(preview.ways[0].readings[:, self.moment()], np.float64)

    def at_cursor(self) -> Composite | None:
        """The draft's score at the cursor, with its parts."""
        readings = self.readings_at_cursor()
        if readings is None or self.draft is None or self.draft.score is None:
            return None
        if len(readings) != len(self.draft.score.inputs):
            return None
        return added_up(self.draft.score, readings.reshape(-1, 1))

    def why(self) -> list[WhyPart]:
        """Points that each input takes away at the cursor, the most first."""
        found = self.at_cursor()
        if found is None:
            return []
        inputs = self._score().inputs
        parts = [
            WhyPart(one.name, float(loss))
            for one, loss in zip(inputs, found.losses[:, 0], strict=True)
            if np.isfinite(loss)
        ]
        return sorted(parts, key=lambda part: -part.loss)

    # A trial

    def begin_trial(self) -> None:
        """Let the inputs be moved, to see what the score would be."""
        readings = self.readings_at_cursor()
        if readings is not None:
            # What is missing stays so until somebody moves it.
            self.what_if = readings.tolist()
            self.try_out()

    def try_input(self, at: int, value: float) -> None:
        """Say that an input read so much."""
        if self.what_if is not None:
            self.what_if[at] = value
            self.try_out()

    def try_out(self) -> None:
        """Show the trial's score wherever the score appears."""
        found, preview = self.at_cursor(), self.score
        if found is None or preview is None or self.listing is None or self.kept is None:
            self._tell()
            return
        series = dict(self.listing.series.get(self.kept.slug, ()))
        series_id = series.get(preview.place)
        if series_id is not None and np.isfinite(found.score[0]):
            # What rests on the score keeps what it was tried at until that is worked out anew.
            self._tried = {series_id: float(found.score[0])}
            self.state.try_out(self.state.trial | self._tried)
        self._tell()

    def trial_question(self) -> WhatIfQuery | None:
        """Asks what rests on the score that is tried out; None when nothing is, or it is known."""
        if self.what_if is None or not self._tried or self._tried == self._tried_for:
            return None
        self._tried_for = dict(self._tried)
        return WhatIfQuery(self._tried_for, self.state.now_us)

    def take_trial(self, trial: WhatIf) -> None:
        """Take the values of what rests on the score."""
        if self.what_if is not None and trial.said == self._tried:
            known = {
                series_id: value for series_id, value in trial.values.items() if np.isfinite(value)
            }
            self.state.try_out(trial.said | known)

    def end_trial(self) -> None:
        """Show what is really so again."""
        if self.what_if is not None:
            self.what_if = None
            self._tried, self._tried_for = {}, {}
            self.state.try_out({})
            self._tell()
