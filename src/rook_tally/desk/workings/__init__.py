"""The Workings view: formulas, scores and groups, written and seen at once over history."""
