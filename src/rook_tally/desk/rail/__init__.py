"""The time rail under every view: which window of time is shown."""
