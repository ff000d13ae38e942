"""The window around the views: head, theme, the feed from the store."""
