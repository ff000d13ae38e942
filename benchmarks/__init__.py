"""The speeds we promise, each measured beside its limit. Run by `./rook bench`; not installed."""
