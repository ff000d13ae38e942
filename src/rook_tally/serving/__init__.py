"""Readings for programs of others that ask: our own routes, SensorThings, OpenMetrics.

Read only. May import the core, the store, `net`, `export` and the intake's word of who is on this
machine; nothing else knows it but the collector.
"""
