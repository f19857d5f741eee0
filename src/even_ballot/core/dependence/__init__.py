"""What figures depend on: decisions and their alternatives, and the cases that carry a figure."""
