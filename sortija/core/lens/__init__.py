"""One selection of customers: clauses, and what every chart shows of it."""
