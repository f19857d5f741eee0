"""A printed document: its blocks, its look, and how numbers stand in it."""
