"""Workings and groups, and what they come to over the past.

May import `store.readings` and what lies under it.
"""

from rook_tally.store.workings.definitions import (
    bind_workings,
    bound_workings,
    groups,
    has_workings,
    limits_set,
    names_of,
    remove_group,
    remove_working,
    save_group,
    save_working,
    set_limits,
    working_named,
    workings,
    write_working,
)
from rook_tally.store.workings.recompute import inputs_of, work_out_due, work_out_everything

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
