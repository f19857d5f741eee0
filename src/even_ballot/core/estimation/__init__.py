"""Estimates from tallies: totals, shares, means, ratios, quantiles, intervals, tests."""
