"""What stands on a sheet of the Wall: decided once, drawn by the desk and by the page for a phone.

`resolving` finds what a sheet's panes name, `material` reads the past they need, `making` puts both
into faces: plain values with every word and every proportion, and no picture yet. No Qt, no HTML.
"""
