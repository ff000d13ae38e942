"""Readings handed on to other systems: stored and forwarded, at least once, in order.

May import the core, the store, `export` and `net`; nothing else knows it but the collector.
"""
