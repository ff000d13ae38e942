"""Faults that real processes are put through: what was acknowledged is there, once, and goes on.

Each row of the table is a fault; `rows.py` and `server_rows.py` bring them about, `senders.py` keep
what they were promised, `world.py` compares that with what is there in the end.
"""
