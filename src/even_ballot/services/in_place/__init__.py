"""Studies whose records stay in the folder they are in: a sample to work on, figures of all of them."""
