"""What the HTTP door and the pages share: guarding connections.

May import the core only.
"""
