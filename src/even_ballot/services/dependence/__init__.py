"""What figures depend on, for the interface."""
