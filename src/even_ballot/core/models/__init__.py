"""Models, scales of items, correlations."""
