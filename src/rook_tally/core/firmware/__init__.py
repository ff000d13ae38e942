"""Firmware of stations: images, what is signed of them, and how they are given out in steps."""
