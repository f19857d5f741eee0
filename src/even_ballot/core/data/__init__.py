"""Datasets and codebooks: columns, scales, values and kinds, batteries, formulas."""
