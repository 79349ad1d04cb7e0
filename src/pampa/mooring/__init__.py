"""The mooring: a small stand-in for a place that hosts episodes and their feed, with its own folder and rules."""
