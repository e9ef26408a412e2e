"""Letters on their way: the outbox, the delivery service, and what comes back from it."""
