"""What is done to one person's sound before the cuts: tone, dynamics, level."""
