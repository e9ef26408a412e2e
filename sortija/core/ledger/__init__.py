"""From the cells of a file to typed lines, and from rules to what counts."""
