"""Series beside each other, and stretches of one series beside each other.

May import `core.series` and `core.quantities`.
"""
