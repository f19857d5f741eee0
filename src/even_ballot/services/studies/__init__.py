"""Studies as a whole: listed, changed, undone, copied, taken in and out."""
