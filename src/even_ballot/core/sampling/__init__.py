"""The design on the cases, tallies by first-stage unit, and the variances that follow from them."""
