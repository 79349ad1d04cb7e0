"""What a check-up means and what it proposes, weighed by trying it on stretches of the recording."""
