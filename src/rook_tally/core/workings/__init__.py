"""Workings: what no sensor measures, worked out from what they do.

`parsing` reads a formula into a `tree`; `checking` finds its series (`naming`) and makes sure of
its units (`measures`, `rules`); what comes of it are `nodes`, worked out over whole arrays that
`alignment` brings together. `scores` adds several numbers up to one, `binding` finds the places a
working can be made for.
"""
