"""Workings and groups, and what they come to over the past.

May import `store.readings` and what lies under it.
"""

from rook_tally.store.workings.binding import bind_workings, bound_workings, has_workings, names_of
from rook_tally.store.workings.definitions import (
    limits_set,
    remove_group,
    remove_working,
    save_group,
    save_working,
    set_limits,
    write_working,
)
from rook_tally.store.workings.recompute import inputs_of, work_out_due, work_out_everything
from rook_tally.store.workings.stored_workings import groups, working_named, workings

__all__ = [
    "bind_workings",
    "bound_workings",
    "groups",
    "has_workings",
    "inputs_of",
    "limits_set",
    "names_of",
    "remove_group",
    "remove_working",
    "save_group",
    "save_working",
    "set_limits",
    "work_out_due",
    "work_out_everything",
    "working_named",
    "workings",
    "write_working",
]
