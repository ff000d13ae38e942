"""Forwards as documents: which readings go to whom, and how."""
