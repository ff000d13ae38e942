"""The collector: one asyncio process that keeps the doors open and commits what they bring."""

from rook_tally.collector.run import CollectorSettings, collect

__all__ = ["CollectorSettings", "collect"]
