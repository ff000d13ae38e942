"""A site as a file: everything that is configured, to keep, to hand on, to write by hand."""
