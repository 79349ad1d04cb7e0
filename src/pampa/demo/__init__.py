"""The sample episode: assembled by seeded code from dry voice lines, with its truth kept for tests."""
