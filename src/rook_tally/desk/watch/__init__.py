"""The Watch view: watches as sentences, their backtests, the journal."""
