"""Marrowmere Garden Co-op: the invented business that every newcomer meets first."""
