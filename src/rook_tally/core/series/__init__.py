"""Readings of one series as arrays: gaps, statistics, summaries, screening, corrections.

May import `core.quantities`.
"""
