"""The readings behind a picture, one a line: what was said, what is shown, what it is worth."""
