"""Files of answers read: by their content, within bounds."""
