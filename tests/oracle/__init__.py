"""An independent statement of what a site must say, and the machinery that holds us to it."""
