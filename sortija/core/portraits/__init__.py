"""What sets each segment apart, and names for it."""
