"""The Strip: lanes on one time axis."""
