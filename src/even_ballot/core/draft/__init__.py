"""A first codebook, proposed from what is in a file: kinds, scales and their order, missing codes, dates."""
