"""A release as a document: what stands in it once for all formats, and a writer for each format."""
