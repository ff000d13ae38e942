"""Watching: alarms rung and cleared by what comes in and by time passing, what follows from that,
and the controls that run meanwhile. All of it happens in the transaction of what caused it."""
