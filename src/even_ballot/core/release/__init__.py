"""What a release is made of, and what it says of the one before."""
