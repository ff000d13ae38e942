"""The desk without Qt: what it knows of the site, what it asks of the store and has changed there.

May import the core and the store.
"""
