"""Taking in a stray sender, step by step: proposed, looked over by a person, asked, done."""

from __future__ import annotations

import enum
from dataclasses import dataclass, field

import msgspec

from rook_tally.core.alarms.edits import typed_seconds
from rook_tally.core.quantities.kinds import ORDINARY_CADENCE_S
from rook_tally.core.quantities.registry import QUANTITIES
from rook_tally.core.timestamps import SECOND_US
from rook_tally.desk.stations.commands import Choices
from rook_tally.desk.stations.texts import tr
from rook_tally.store.base import Credentials, credentials_of, new_access_key
from rook_tally.store.site import Request, RequestKind, RequestState, StrayProposal, TakeInTerms

_PATIENCE_S = 30.0
LEFT_OUT = ""
"""What stands for a field that nobody wants, or knows."""


class TakeInStep(enum.Enum):
    """A step of taking in."""

    PROPOSING = "proposing"
    DECIDING = "deciding"
    ASKED = "asked"
    DONE = "done"
    FAILED = "failed"


@dataclass(slots=True)
class TakenInField:
    """A field and what a person lets it be: quantity (`LEFT_OUT` for nothing) and unit, or the
    field it continues. `newest` is its newest value as it was sent."""

    name: str
    quantity: str
    unit: str
    continues: str = ""
    is_of_kind: bool = False
    newest: str = ""


@dataclass(slots=True)
class TakeInState:
    """One stray sender being taken in.

    Attributes
    ----------
    request : the number of what was asked last
    cadence : how often it reports, as typed; empty for as often as it turns out to send
    first : its first reading as a station, in words; empty until one came
    done_us : when it became a station
    """

    key: str
    step: TakeInStep = TakeInStep.PROPOSING
    request: int | None = None
    proposal: StrayProposal | None = None
    choices: Choices | None = None
    place: str = ""
    kind: str = "plain"
    indoors: bool = True
    cadence: str = ""
    first: str = ""
    done_us: int = 0
    fields: list[TakenInField] = field(default_factory=list)
    access_key: str = ""
    said: str = "Looking at what it sends …"

    @property
    def is_ready(self) -> bool:
        """True if everything needed is decided."""
        has_place = bool(self.place.strip()) or self.is_station
        return self.step is TakeInStep.DECIDING and has_place

    @property
    def is_waiting(self) -> bool:
        """True while an answer of the collector is awaited."""
        return self.step in (TakeInStep.PROPOSING, TakeInStep.ASKED)

    @property
    def is_station(self) -> bool:
        """True if it is a station already, and only some of its fields are astray."""
        return self.proposal is not None and self.proposal.is_station

    def take_request(self, request: Request) -> None:
        """Take the state of the request. A second answer to the same one changes nothing: what the
        person has decided since would be lost."""
        if not self.is_waiting or request.id != self.request or request.state.is_open:
            return
        if request.state is not RequestState.CONFIRMED:
            step = (
                tr("Looking at what it sends did not succeed: {0}", request.answer)
                if request.sort is RequestKind.PROPOSE
                else tr(
                    "Taking it in did not succeed: {0}. What it sent waits as before.",
                    request.answer.rstrip("."),
                )
            )
            self.step, self.said = TakeInStep.FAILED, step
        elif request.sort is RequestKind.PROPOSE:
            self._take_proposal(msgspec.json.decode(request.answer, type=StrayProposal))
        else:
            self.step, self.said = TakeInStep.DONE, request.answer

    def _take_proposal(self, proposal: StrayProposal) -> None:
        self.proposal, self.step, self.said = proposal, TakeInStep.DECIDING, ""
        self.place, self.kind = proposal.place, proposal.kind
        self.fields = [
            TakenInField(
                name,
                slug,
                unit,
                proposal.continues.get(name, ""),
                newest=proposal.newest.get(name, ""),
            )
            for name, (slug, unit) in proposal.fields.items()
        ]
        self.fields += [
            TakenInField(name, slug, unit, is_of_kind=True, newest=proposal.newest.get(name, ""))
            for name, (slug, unit) in proposal.kind_fields.items()
            if not proposal.is_station
        ]

    def set_quantity(self, at: int, slug: str) -> None:
        """Let a field be another quantity, in its base unit until another is chosen."""
        one = self.fields[at]
        one.quantity, one.continues = slug, ""
        one.unit = QUANTITIES[slug].base.symbol if slug else ""

    def wait_words(self, now_us: int) -> str:
        """How it stands with its first reading, once it is a station: what it was, that it is
        waited for, or that none has come and what to do."""
        if self.step is not TakeInStep.DONE:
            return ""
        if self.first:
            return tr("Its first reading: {0}.", self.first)
        usual_s = ORDINARY_CADENCE_S if self.proposal is None else self.proposal.cadence_s
        if now_us - self.done_us < max(_PATIENCE_S, 3 * usual_s) * SECOND_US:
            return tr("Waiting for its first reading …")
        return tr(
            "No reading has come from it yet. Is it switched on? Its last messages, and what "
            "became of each, stand at the foot of its page."
        )

    def terms(self) -> TakeInTerms:
        """The terms to ask for. A new station's key is made here and stays here.

        Raises
        ------
        UsageError
            When how often it reports is no length of time.
        """
        cadence_s = typed_seconds(self.cadence) if self.cadence.strip() else None
        made = Credentials("", "")
        if not self.is_station:
            self.access_key = new_access_key()
            made = credentials_of(self.access_key)
        told = [one for one in self.fields if not one.is_of_kind]
        return TakeInTerms(
            place=self.place.strip() or None,
            kind=self.kind,
            indoors=self.indoors,
            cadence_s=cadence_s,
            fields={
                one.name: (one.quantity, one.unit)
                for one in told
                if one.quantity and not one.continues
            },
            continues={one.name: one.continues for one in told if one.continues},
            access_hash=made.access_hash,
            broker_hash=made.broker_hash,
        )
