"""Models, scales of items and correlations as they are read and released."""
