"""Sound files: the only part of the core that knows paths."""
