"""The computation: no files, no web, no database."""
