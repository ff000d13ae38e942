"""Reports worked out from a store, and written as HTML and PDF.

May import the core, the store and `bench.wording`; knows nothing of desk, collector or commands.
"""
