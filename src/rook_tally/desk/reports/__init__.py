"""The Reports view: what is described, its pages, and what was written."""
