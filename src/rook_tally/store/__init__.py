"""The store: schema, append, queries, change notices, site configuration.

The one place where collectors, desks and commands meet. Functions take the `Connection` of a
running transaction (`with store.read()` or `with store.write()`), so that a caller decides what
happens together. May import the core only.
"""

from rook_tally.store.append import Appended, NewReading, append_history, append_readings
from rook_tally.store.changes import (
    Change,
    ChangeTail,
    Subject,
    newest_seq,
    prune_changes,
    site_changed_since,
)
from rook_tally.store.clocks import ClockFault, clock_faults, report_clocks
from rook_tally.store.corrections import (
    CorrectionEntry,
    add_correction,
    correction_entries,
    withdraw_correction,
)
from rook_tally.store.database import Store
from rook_tally.store.duties import Duty, HeldDuty, take_duty
from rook_tally.store.envelopes import envelopes
from rook_tally.store.judging import mark_what_became_certain
from rook_tally.store.kinds import keep_kind, kind_of_site, kinds
from rook_tally.store.opening import open_store
from rook_tally.store.overruling import Overruling, overrule, overrulings, withdraw_overruling
from rook_tally.store.overview import LatestRow, latest_rows
from rook_tally.store.pages import damaged_pages
from rook_tally.store.partitions import keep_partitions
from rook_tally.store.presence import (
    HEARTBEAT_S,
    Collector,
    Door,
    DoorState,
    collectors,
    report_alive,
    report_collector,
    report_door,
    withdraw_collector,
)
from rook_tally.store.query import (
    Latest,
    gaps_between,
    latest,
    read_range,
    read_raw_range,
    span_of,
)
from rook_tally.store.sealing import (
    SEALED_AFTER_US,
    History,
    Stretch,
    append_sealed,
    history_of,
    seal,
    seal_all,
    stretches_due,
)
from rook_tally.store.site import (
    Place,
    Series,
    Site,
    Station,
    access_hash,
    add_place,
    add_series,
    add_station,
    continue_field,
    load_site,
    renew_access_key,
    set_site,
)
from rook_tally.store.spans import span_statistics
from rook_tally.store.strays import (
    Stray,
    StrayBounds,
    StrayGroup,
    drop_strays,
    keep_strays,
    newest_strays,
    prune_strays,
    set_stray_bounds,
    stray_bounds,
    stray_groups,
    strays_of,
)
from rook_tally.store.summaries import PAGE_US
from rook_tally.store.tallies import NOBODY, Tally, add_tallies, tallies, total
from rook_tally.store.tape import TapeLine, newest_tape, prune_tape, write_tape

__all__ = [
    "HEARTBEAT_S",
    "NOBODY",
    "PAGE_US",
    "SEALED_AFTER_US",
    "Appended",
    "Change",
    "ChangeTail",
    "ClockFault",
    "Collector",
    "CorrectionEntry",
    "Door",
    "DoorState",
    "Duty",
    "HeldDuty",
    "History",
    "Latest",
    "LatestRow",
    "NewReading",
    "Overruling",
    "Place",
    "Series",
    "Site",
    "Station",
    "Store",
    "Stray",
    "StrayBounds",
    "StrayGroup",
    "Stretch",
    "Subject",
    "Tally",
    "TapeLine",
    "access_hash",
    "add_correction",
    "add_place",
    "add_series",
    "add_station",
    "add_tallies",
    "append_history",
    "append_readings",
    "append_sealed",
    "clock_faults",
    "collectors",
    "continue_field",
    "correction_entries",
    "damaged_pages",
    "drop_strays",
    "envelopes",
    "gaps_between",
    "history_of",
    "keep_kind",
    "keep_partitions",
    "keep_strays",
    "kind_of_site",
    "kinds",
    "latest",
    "latest_rows",
    "load_site",
    "mark_what_became_certain",
    "newest_seq",
    "newest_strays",
    "newest_tape",
    "open_store",
    "overrule",
    "overrulings",
    "prune_changes",
    "prune_strays",
    "prune_tape",
    "read_range",
    "read_raw_range",
    "renew_access_key",
    "report_alive",
    "report_clocks",
    "report_collector",
    "report_door",
    "seal",
    "seal_all",
    "set_site",
    "set_stray_bounds",
    "site_changed_since",
    "span_of",
    "span_statistics",
    "stray_bounds",
    "stray_groups",
    "strays_of",
    "stretches_due",
    "take_duty",
    "tallies",
    "total",
    "withdraw_collector",
    "withdraw_correction",
    "withdraw_overruling",
    "write_tape",
]
