"""Routes, one file for each part of the studio."""
