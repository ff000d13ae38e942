"""Fennel Wharf Pottery, our made-up site: its places and stations, what they would measure at any
moment, and live simulated stations that speak the real protocols.

May import the core only: towards the rest of the program it is just another sender on the wire.
"""
