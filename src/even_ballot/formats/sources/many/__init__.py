"""Answers in many files: read as one table, and made of one file."""
