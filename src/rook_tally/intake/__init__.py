"""Doors, and the way of a message from a door to the store.

One message is followed through `message` → `decode` → `resolve` → `screen` → `reception`, which
writes it. Doors (`http_door`, `mqtt_door`) only carry messages in and answers out. May import
the core and the store.
"""
