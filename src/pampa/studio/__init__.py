"""The use cases: what a person can do, in terms of core and store."""
