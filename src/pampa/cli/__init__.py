"""The same use cases for a terminal."""
