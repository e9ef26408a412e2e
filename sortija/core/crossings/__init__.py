"""Who moves between segments from one date to the next, and why."""
