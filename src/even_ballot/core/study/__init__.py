"""The study file, the pipeline of keyed nodes that runs it, its results, and what differs between two."""
