"""A proposed correction as corrections of what the sensor itself said."""

from __future__ import annotations

import math

from sqlalchemy.engine import Connection

from rook_tally.bench.pair import PairAnswer
from rook_tally.core.series.corrections import (
    Correction,
    CorrectionUncertainty,
    in_force,
    on_top_of,
)
from rook_tally.store.site import corrections_of

_Z = 1.96


def corrections_of_proposal(
    connection: Connection, answer: PairAnswer, from_us: int | None = None
) -> list[tuple[Correction, CorrectionUncertainty | None]]:
    """The corrections that a proposal comes to, each on top of what holds at its moment.

    A correction in force that begins within the stretch goes on from its moment on with what is
    proposed there on top. `from_us`: from this moment on only, when given.
    """
    proposal = answer.proposal
    assert proposal is not None
    kept = corrections_of(connection, [answer.second.id]).get(answer.second.id, [])
    begins = proposal.starts_us.tolist()
    first = begins[0] if from_us is None else from_us
    moments = {one for one in begins if one > first} | {first}
    moments |= {one.from_us for one in kept if one.from_us > first}
    sure = None
    if math.isfinite(proposal.within):
        sure = CorrectionUncertainty(0.0, proposal.within / _Z)
    made = []
    for at in sorted(moments):
        which = max((number for number, one in enumerate(begins) if one <= at), default=0)
        new = Correction(at, proposal.gain, float(proposal.offsets[which]))
        made.append((on_top_of(new, in_force(kept, at)), sure))
    return made
