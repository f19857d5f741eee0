"""Weights: base, raking, and the report on them."""
