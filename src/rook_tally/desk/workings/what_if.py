"""Values of everything that rests on a score, as if its inputs were the values typed."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from sqlalchemy.engine import Connection

from rook_tally.core.workings.alignment import Inputs, InputSamples
from rook_tally.desk.workings.input_cache import KEPT
from rook_tally.store.site import load_site
from rook_tally.store.workings import bound_workings


@dataclass(frozen=True, slots=True)
class WhatIf:
    """The values said, and by series id what rests on them; NaN where nothing comes of it."""

    said: dict[int, float]
    values: dict[int, float]


@dataclass(frozen=True, slots=True)
class WhatIfQuery:
    """Asks what everything comes to if some series read so much at a moment, in base units."""

    said: dict[int, float]
    at_us: int

    def run(self, connection: Connection) -> WhatIf:
        """Each working that rests on what is said, those that rest on others after them."""
        values = dict(self.said)
        for series, one in bound_workings(connection, load_site(connection)):
            program = one.program
            if series.id in self.said or not program.series_ids & values.keys():
                continue
            factors = {each.series_id: each.factor for each in program.inputs}
            read = KEPT.inputs(connection, factors, self.at_us - program.reach_us, self.at_us)
            heard = dict(read.heard)
            for series_id in program.series_ids & values.keys():
                before = heard[series_id]
                heard[series_id] = InputSamples(
                    np.append(before.time_us, self.at_us),
                    np.append(before.value, values[series_id] * factors[series_id]),
                )
            _, told = program.worked_out(Inputs(heard), self.at_us, self.at_us + 1)
            values[series.id] = float(told[-1]) if len(told) else float("nan")
        return WhatIf(
            self.said,
            {series_id: value for series_id, value in values.items() if series_id not in self.said},
        )
