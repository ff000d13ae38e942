"""What leaves this machine: every way out that somebody opened, in one list."""
