"""Documents written in each format."""
