"""Sheets of the Wall as pages on the local network, to look at only."""
