"""Studies whose answers come in parts, each read by itself."""
