"""How bytes are read as letters: encodings, and what words in them look like."""
