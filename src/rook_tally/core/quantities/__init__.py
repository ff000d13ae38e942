"""What can be measured, and how it is written: units, quantities, kinds, levels.

May import `core.arrays`, `core.errors` and `core.timestamps` only.
"""
