"""The check-up: what is measured of one recording when it comes in, and what it proposes for mending."""
