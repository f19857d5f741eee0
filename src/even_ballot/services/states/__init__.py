"""States of studies, computed when asked for and kept."""
