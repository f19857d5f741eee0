"""Models fitted to weighted cases, whatever is modelled."""
