"""Readings from small networked sensors, kept and watched on your own machine."""

__version__ = "0.1.0"
