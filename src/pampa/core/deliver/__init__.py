"""Sending out: targets, the limiter, solving for loudness, encoding and tags."""
