"""Sending out, as rules: targets, the limiter, solving for loudness, formats, the delivery sheet."""
