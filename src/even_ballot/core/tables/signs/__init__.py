"""What stands beside a figure: letters, and marks of weak ones."""
