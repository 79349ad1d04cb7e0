"""Two states of an episode side by side: where one lies in the other, and what differs."""
