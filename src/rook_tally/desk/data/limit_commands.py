"""Commands about limits."""

from __future__ import annotations

import msgspec
from sqlalchemy.engine import Connection

from rook_tally.core.quantities.levels import Limits
from rook_tally.core.quantities.limit_rules import LimitScope
from rook_tally.desk.data.conflict import UNCHECKED, Unchecked, check_base
from rook_tally.desk.data.texts import tr
from rook_tally.desk.data.undo import UndoableResult
from rook_tally.store.workings import limits_set, set_limits


class SaveLimits(msgspec.Struct, frozen=True):
    """Limits shall be set for a scope; None takes back what is set there. `name` says which."""

    scope: LimitScope
    name: str
    limits: Limits | None
    base: Limits | Unchecked | None = UNCHECKED

    def apply(self, connection: Connection) -> UndoableResult:
        """Set them.

        Raises
        ------
        ConflictError
            When they are not `base` any more; nothing was changed then.
        """
        before = limits_set(connection, self.scope)
        check_base(tr("the limit setting of {0}", self.name), self.base, before)
        set_limits(connection, self.scope, self.limits)
        words = (
            tr("limits of {0} taken back", self.name)
            if self.limits is None
            else tr("limits of {0} set", self.name)
        )
        return UndoableResult(words, SaveLimits(self.scope, self.name, before, self.limits))
