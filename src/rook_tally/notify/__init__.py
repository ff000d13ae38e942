"""Actions: one module a way of telling, and the post that carries what is in the outbox to them."""
