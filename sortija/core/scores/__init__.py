"""Bands, codes and totals."""
