"""Work in processes of its own, in the background, and within limits."""
