"""Drawings and words that several views share."""
