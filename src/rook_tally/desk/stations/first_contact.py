"""First contact: how far a new station's messages get, step by step, and where they fail."""

from __future__ import annotations

import enum
from collections.abc import Sequence
from dataclasses import dataclass

from rook_tally.desk.stations.texts import tr
from rook_tally.store.site import MessageLogEntry, Problem


class StepState(enum.Enum):
    """The state of a step."""

    WAITING = "waiting"
    DONE = "done"
    FAILED = "failed"


@dataclass(frozen=True, slots=True)
class ContactStep:
    """A step on the way of a first message, and what is to be said of it."""

    name: str
    state: StepState
    detail: str


_PARTS = ("reached the door", "access key right", "decoded", "placed", "on the Ledger")


def contact_steps(
    key: str, tape: Sequence[MessageLogEntry], *, is_shown: bool
) -> tuple[ContactStep, ...]:
    """Steps that the newest message of this station has passed.

    `tape` are the newest lines of all stations, newest first; a message with a wrong key may be
    from anybody, so it counts until one of the station's own comes.
    """
    line = next(
        (
            one
            for one in tape
            if one.station == key
            or (one.problem is Problem.WRONG_KEY and one.station in (None, key))
        ),
        None,
    )
    if line is None:
        return _steps(0, tr("nothing has come from it yet"), failed=False)
    came = tr("over {0} from {1}", line.door, line.address)
    if line.problem is Problem.WRONG_KEY:
        why = tr("its access key is no station's: copy it again, or make a new one")
        return _steps(1, why, came)
    if line.problem is not None:
        return _steps(2, line.why, came)
    if not line.kept and not line.duplicate:
        return _steps(3, line.why or tr("it held no readings"), came)
    if not is_shown:
        return _steps(4, tr("not shown yet"), came, failed=False)
    return _steps(5, "", came)


def _steps(
    done: int, detail: str, came: str = "", *, failed: bool = True
) -> tuple[ContactStep, ...]:
    """The first `done` steps are done; `detail` is said of the next one."""
    steps = []
    for at, name in enumerate(map(tr, _PARTS)):
        if at < done:
            steps.append(ContactStep(name, StepState.DONE, came if at == 0 else ""))
        elif at == done:
            state = StepState.FAILED if failed else StepState.WAITING
            steps.append(ContactStep(name, state, detail))
        else:
            steps.append(ContactStep(name, StepState.WAITING, ""))
    return tuple(steps)
