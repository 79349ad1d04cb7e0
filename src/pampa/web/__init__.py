"""Routes, schemas, pages: thin."""
