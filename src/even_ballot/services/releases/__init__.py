"""Releases: their files made, kept, checked beforehand and compared."""
