"""The Watch view: watches as sentences, their rehearsals, the journal."""
