"""One module a format. A step says all it needs by itself: the schema of today is not its own."""
