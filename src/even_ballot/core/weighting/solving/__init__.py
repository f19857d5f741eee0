"""Weights that meet margins, within bounds or with numbers among them: the solvers."""
