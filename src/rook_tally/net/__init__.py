"""Guards of connections, shared by the HTTP door and the pages.

May import the core only.
"""
