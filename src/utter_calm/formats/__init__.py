"""Open file formats, in and out."""
