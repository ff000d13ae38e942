"""Sheets of the Wall as plain values: what a pane is, how panes tile a sheet, files of them."""
