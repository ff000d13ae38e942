"""The store: the one place where collectors, desks and commands meet.

In layers, each importing only those before it: `base`, `site`, `readings`, `workings`, `alarms`,
`exchange`, `maintenance`; others import from these packages. Functions take the `Connection` of a
running transaction (`with store.read()` or `with store.write()`), so that a caller decides what
happens together. May import the core only.
"""
