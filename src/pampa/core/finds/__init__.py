"""Finds: what a listener would not miss, found and measured, for a person to decide about."""
