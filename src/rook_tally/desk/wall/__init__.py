"""The Wall: sheets of panes, for a spare screen."""
