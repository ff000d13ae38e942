"""Kinds as W3C Web of Things Thing Descriptions (TD 1.1)."""
