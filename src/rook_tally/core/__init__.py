"""Pure computing: quantities, units, levels, gaps, statistics, wording of numbers.

Anything may import it; it imports nothing of ours, does no I/O and has no clock of its own:
moments come in as arguments.
"""
