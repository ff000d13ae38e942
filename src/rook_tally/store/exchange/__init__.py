"""Readings that come from files and leave as files.

May import `store.readings` and what lies under it.
"""
