"""Sections of a document that are not of its plan: methods, changes, what figures depend on."""
