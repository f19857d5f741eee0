"""Steps that read what people wrote: as numbers, as dates, as other words."""
