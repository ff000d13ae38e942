"""Reports as documents: what is wanted, over which stretch of time, and what came of it."""
