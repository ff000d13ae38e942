"""Correcting a series: gain and offset from a moment on, with what it makes of the past."""
