"""A show over time: what each person sounded like from episode to episode."""
