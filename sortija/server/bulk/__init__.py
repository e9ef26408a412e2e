"""Large tables in and out of PostgreSQL by binary COPY, on Django's own connection."""
