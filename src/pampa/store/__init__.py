"""What is kept: rows in SQLite, files in the media folder."""
