"""What commands and batches do with one file: read it, do something, write another. Nothing is printed."""
