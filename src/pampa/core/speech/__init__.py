"""Who speaks when, how loud, and where they breathe: told from one recording, or from all of a conversation."""
