"""What whoever runs Sortija goes by: its health, and its log."""
