"""Dialogs over the views: finding, keys, alarms, the site, readings, corrections, files."""
