"""The desk: the windowed application. Reads the store, writes only configuration and requests.

A package a view, each with a plain-Python model that decides and widgets that draw. `shell` is the
window around them; `parts` are drawings that several views share. Views do not import each other.
"""
