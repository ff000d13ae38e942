"""Units, quantities, kinds and levels, and how values are written.

May import `core.arrays`, `core.errors` and `core.timestamps` only.
"""
