"""A delivery service for trying things out: it takes letters, and invented people answer them."""
