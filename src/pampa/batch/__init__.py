"""Many files and raw episodes in one run, on one machine or many, that may be stopped and taken up again."""
