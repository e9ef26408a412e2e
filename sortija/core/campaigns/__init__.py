"""Audiences, holdouts and the list that leaves the house."""
