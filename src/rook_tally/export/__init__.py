"""Readings written out in open forms, piece by piece, with a manifest of what they are.

May import the core and the store; knows nothing of desk, collector or commands.
"""
