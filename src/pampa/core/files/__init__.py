"""Sound files, read and written: the only part of the core that knows paths."""
