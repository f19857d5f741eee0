"""A study file run by several processes, each of which holds some parts of its answers."""
