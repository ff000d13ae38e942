"""The way of a message into the store: queued, decoded, resolved, screened, written, worked out.

May import `intake.decode`, `alarming` and the store.
"""
