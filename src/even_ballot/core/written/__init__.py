"""How people write numbers, dates and no answers: words in, values out."""
