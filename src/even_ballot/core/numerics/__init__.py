"""Arrays, compiled loops, linear programs: nothing of ours below."""
