"""Places where episodes are published: each takes files and a feed, whole or not at all."""
