"""Every figure of the tables, for machines."""
