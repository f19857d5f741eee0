"""Workbooks: a sheet for each table, every figure in long form, the methods note."""
